import { boxMean } from '../image/boxMean.ts';
import { components } from '../image/components.ts';
import type { FrameFormat } from '../image/format.ts';

/** A fleck differs from the background by more than so many times what is usual, and so many 8-bit levels. */
const TIMES = 8;
const LEVELS = 10;
/** Every so-manieth px tells what is usual. */
const EVERY = 5;
/** What is slower than a share of the frame's height is light. */
const SLOW_SHARE = 1 / 48;
/** Side of the largest fleck, as a share of the frame's height, and px of the smallest. */
const LARGEST_SHARE = 1 / 20;
const SMALLEST = 3;
/** Share of the strength of a fleck from which another frame shows the same. */
const SAME = 0.5;
/** How far the soft edge of a group reaches, px. */
const EDGE = 2;

/** Sizes that tell what a fleck is. */
export interface FleckScale {
  /** Sample units per 8-bit level. */
  unit: number;
  /** Height of the frame, px. */
  height: number;
}

export const fleckScale = ({ depth, height }: Pick<FrameFormat, 'depth' | 'height'>): FleckScale => ({
  unit: 2 ** (depth - 8),
  height,
});

/** Flecks in a rectangle of one frame: small things that pass before everything, like flakes, drops and insects. */
export interface Flecks {
  /** Difference from the background, without what is slow. */
  fast: Float32Array;
  /** Difference from which a px belongs to one. */
  least: number;
  /** Px of each, as indices. */
  groups: number[][];
  /** Px of what differs as much, and is too large for one. */
  large: number[][];
}

/**
 * Finds flecks in what a frame shows beside its background.
 *
 * @param difference - Luma, frame less background, w·h.
 * @param usable - 1 where both are known.
 */
export function findFlecks(
  difference: Float32Array,
  usable: Uint8Array,
  w: number,
  h: number,
  { unit, height }: FleckScale,
): Flecks {
  const fast = withoutSlow(difference, usable, w, h, slowRadius(height));
  const least = Math.max(TIMES * usualOf(fast, usable), LEVELS * unit);
  const strong = new Uint8Array(w * h);
  for (let i = 0; i < strong.length; i++) if (Math.abs(fast[i]) > least) strong[i] = 1;
  const largest = (height * LARGEST_SHARE) ** 2;
  const all = components(strong, w, h).filter(({ length }) => length >= SMALLEST);
  const groups = all.filter(({ length }) => length <= largest);
  return { fast, least, groups, large: all.filter(({ length }) => length > largest) };
}

/** Whether what another frame shows at a px of a fleck is the same, and no fleck. @param other - Its difference from the background. */
export const showsSame = ({ fast, least }: Flecks, i: number, other: number): boolean =>
  other * Math.sign(fast[i]) > SAME * least;

/** How much of each px some groups cover, 0..1: their px, and a soft edge around them. */
export function weightsOf(groups: readonly (readonly number[])[], w: number, h: number): Float32Array {
  const out = new Float32Array(w * h);
  for (const i of groups.flat()) {
    const [x, y] = [i % w, Math.floor(i / w)];
    for (let v = Math.max(0, y - EDGE); v <= Math.min(h - 1, y + EDGE); v++) {
      for (let u = Math.max(0, x - EDGE); u <= Math.min(w - 1, x + EDGE); u++) {
        const away = Math.max(Math.abs(u - x), Math.abs(v - y));
        out[v * w + u] = Math.max(out[v * w + u], 1 - away / (EDGE + 1));
      }
    }
  }
  return out;
}

/** How far around it is looked for what is slow, px. @param height - Of the frame, px. */
export const slowRadius = (height: number): number => Math.max(4, Math.round(height * SLOW_SHARE));

/** Takes off what changes slowly over the picture; 0 where it is not known. @param even - 1 where that is told. */
export function withoutSlow(
  values: Float32Array,
  usable: Uint8Array,
  w: number,
  h: number,
  radius: number,
  even = usable,
): Float32Array {
  const known = Float32Array.from(even);
  const masked = new Float32Array(values.length);
  for (let i = 0; i < masked.length; i++) masked[i] = values[i] * known[i];
  const sum = boxMean(masked, w, h, radius);
  const n = boxMean(known, w, h, radius);
  for (let i = 0; i < masked.length; i++) masked[i] = usable[i] === 1 ? values[i] - (n[i] > 0 ? sum[i] / n[i] : 0) : 0;
  return masked;
}

function usualOf(values: Float32Array, usable: Uint8Array): number {
  const some: number[] = [];
  for (let i = 0; i < values.length; i += EVERY) if (usable[i] === 1) some.push(Math.abs(values[i]));
  return some.length === 0 ? 0 : Float32Array.from(some).sort()[some.length >> 1];
}
