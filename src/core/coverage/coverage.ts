import { components } from '../image/components.ts';
import { grow, intersect } from '../image/format.ts';
import { areaOf, at, distanceFrom, shared, trimmed, type MaskPatch } from '../movers/maskPatch.ts';
import type { Mover } from '../movers/movers.ts';

/** What of a thing sticks out of its matte on one frame. Masks and areas in px of the small frames. */
export interface FrameCoverage {
  frame: number;
  /** Px that stick out. */
  out: number;
  /** The same as a share of the thing on that frame. */
  share: number;
  /** By how much the matte would have to grow to cover them all, px. */
  growth: number;
  /** Where they are. */
  mask: MaskPatch;
}

/**
 * A mover is what is to go if this share of it lies in the matte, or of the matte there in it, on this share of its frames: more
 * than one that only passes behind, and less than all, since an outline is not right everywhere from the start.
 */
const INSIDE_SHARE = 0.6;
const BELONGS_SHARE = 0.3;
/** Less than this is the roughness of what was found: px, and share of the thing. */
const LEAST_OUT_PX = 7;
const LEAST_OUT_SHARE = 0.012;
/** Where another thing touches this one, what is nearer to it than this may be part of it, px. */
const DOUBTFUL_PX = 12;
const TOUCHING_PX = 2;
/** Neighbours (with itself, of nine) that a px must share its lot with: single rows along an edge say nothing. */
const LEAST_TOGETHER = 5;

/**
 * The coverage watch: frames in which something that moves with a removal, its shadow too, lies outside of its matte.
 *
 * @param movers - What moves by itself in the shot.
 * @param covered - The matte of a frame at the size of the movers' masks, with what counts as covered around it; empty
 * where there is none.
 * @returns Flagged frames in order.
 */
export function coverageOf(movers: readonly Masked[], covered: (frame: number) => MaskPatch): FrameCoverage[] {
  const out = new Map<number, FrameCoverage>();
  const own = movers.filter((m) => belongs(m, covered));
  const others = movers.filter((m) => !own.includes(m));
  for (const mover of own) {
    mover.masks.forEach((mask, k) => {
      const frame = mover.first + k;
      const beside = others.flatMap(({ first, masks }): MaskPatch[] => {
        const other = masks[frame - first] as MaskPatch | undefined;
        return other && intersect(grow(mask, TOUCHING_PX), other).width > 0 ? [other] : [];
      });
      const found = leftOut(frame, mask, covered(frame), beside);
      const have = out.get(frame);
      if (found && (!have || have.out < found.out)) out.set(frame, found);
    });
  }
  return [...out.values()].sort((a, b) => a.frame - b.frame);
}

type Masked = Pick<Mover, 'first' | 'masks'>;

function belongs({ first, masks }: Masked, covered: (frame: number) => MaskPatch): boolean {
  let [inside, all] = [0, 0];
  masks.forEach((mask, k) => {
    const matte = covered(first + k);
    if (matte.data.length === 0) return;
    all++;
    const both = shared(mask, matte);
    if (both === 0) return;
    if (both > INSIDE_SHARE * areaOf(mask) || both > INSIDE_SHARE * areaTouching(matte, mask)) inside++;
  });
  return all > 0 && inside >= BELONGS_SHARE * all;
}

/** Px of those parts of a matte that a mask shares any with: the rest of it is of other things. */
function areaTouching(matte: MaskPatch, mask: MaskPatch): number {
  const { x, y, width, height, data } = matte;
  const touches = (i: number): boolean => at(mask, x + (i % width), y + Math.floor(i / width)) === 1;
  return components(data, width, height)
    .filter((part) => part.some(touches))
    .reduce((sum, part) => sum + part.length, 0);
}

/** @param beside - Other things that touch this one on the frame. */
function leftOut(
  frame: number,
  mask: MaskPatch,
  matte: MaskPatch,
  beside: readonly MaskPatch[],
): FrameCoverage | undefined {
  const rest: MaskPatch = { ...mask, data: mask.data.slice() };
  for (let i = 0; i < rest.data.length; i++) {
    rest.data[i] &= 1 - at(matte, rest.x + (i % rest.width), rest.y + Math.floor(i / rest.width));
  }
  for (const other of beside) {
    const away = distanceFrom(other, rest);
    for (let i = 0; i < rest.data.length; i++) if (away[i] < DOUBTFUL_PX) rest.data[i] = 0;
  }
  const together = thick(rest);
  const [out, whole] = [areaOf(together), areaOf(mask)];
  if (out < LEAST_OUT_PX || out < LEAST_OUT_SHARE * whole) return undefined;
  return { frame, out, share: out / whole, growth: farthest(together, matte), mask: trimmed(together) };
}

/** Px most of whose neighbours belong to a patch as well. */
function thick(p: MaskPatch): MaskPatch {
  const data = p.data.map((v, i) => {
    if (!v) return 0;
    const [x, y] = [p.x + (i % p.width), p.y + Math.floor(i / p.width)];
    let n = 0;
    for (let b = -1; b <= 1; b++) for (let a = -1; a <= 1; a++) n += at(p, x + a, y + b);
    return n >= LEAST_TOGETHER ? 1 : 0;
  });
  return { ...p, data };
}

function farthest(out: MaskPatch, matte: MaskPatch): number {
  if (matte.data.length === 0) return Infinity;
  const distance = distanceFrom(matte, out);
  let most = 0;
  for (let i = 0; i < out.data.length; i++) if (out.data[i]) most = Math.max(most, distance[i]);
  return most;
}

/** How to put right what sticks out. */
export interface Mend {
  kind: 'grow' | 'key';
  /** Px of the small frames, for `grow`. */
  growth: number;
  /** The worst frame. */
  frame: number;
}

/** Growth beyond this takes too much of what is around, px of the small frames. */
const MOST_GROWTH = 3;

/** What mends most: growing the matte a little if that covers all of it, else a key where most sticks out. */
export function mendOf(flagged: readonly FrameCoverage[]): Mend | undefined {
  if (flagged.length === 0) return undefined;
  const worst = flagged.reduce((a, b) => (b.share > a.share ? b : a));
  const growth = Math.max(...flagged.map((f) => f.growth));
  return { kind: growth <= MOST_GROWTH ? 'grow' : 'key', growth, frame: worst.frame };
}
