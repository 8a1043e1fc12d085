import type { Ease } from './shape.ts';

/** What holds at a frame, and how it goes on from there. */
export interface Keyed {
  frame: number;
  ease: Ease;
}

/** Where a frame lies between two keys. */
export interface Stretch<K> {
  from: K;
  to: K;
  /** Keys beyond the two; undefined at an end. */
  before?: K;
  after?: K;
  /** Share of the way, 0..1. */
  t: number;
}

/**
 * What decides at a frame: one key alone (on it, before the first, after the last, or where a key holds), or two.
 * @param keys - At least one, in ascending frames.
 */
export function stretchAt<K extends Keyed>(keys: readonly K[], frame: number): { at: K } | Stretch<K> {
  const next = keys.findIndex((k) => k.frame > frame);
  if (next === 0) return { at: keys[0] };
  if (next < 0) return { at: keys[keys.length - 1] };
  const [from, to] = [keys[next - 1], keys[next]];
  if (from.ease === 'hold' || from.frame === frame) return { at: from };
  return { from, to, before: keys[next - 2], after: keys[next + 1], t: (frame - from.frame) / (to.frame - from.frame) };
}

/** A number on its way from one key to the next; `before` and `after` are those of the keys beyond, if they count. */
export type Glide = (from: number, to: number, before?: number, after?: number) => number;

/**
 * How numbers go over a stretch: straight, or along a cubic Hermite curve whose slope at a key is that of the line
 * through its neighbours (Catmull & Rom 1974, with uneven spacing); at an end they start and stop gently.
 */
export function glideOver<K extends Keyed>({ from, to, before, after, t }: Stretch<K>): Glide {
  if (from.ease === 'linear') return (u, v) => u + (v - u) * t;
  const span = to.frame - from.frame;
  const [spanBefore, spanAfter] = [before ? from.frame - before.frame : 0, after ? after.frame - to.frame : 0];
  const [h00, h10] = [2 * t ** 3 - 3 * t ** 2 + 1, t ** 3 - 2 * t ** 2 + t];
  const [h01, h11] = [-2 * t ** 3 + 3 * t ** 2, t ** 3 - t ** 2];
  return (u, v, p, q) => {
    const slopeA = p === undefined ? 0 : ((v - p) / (span + spanBefore)) * span;
    const slopeB = q === undefined ? 0 : ((q - u) / (span + spanAfter)) * span;
    return h00 * u + h10 * slopeA + h01 * v + h11 * slopeB;
  };
}
