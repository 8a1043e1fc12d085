import { components } from '../image/components.ts';
import { grow, intersect } from '../image/format.ts';
import { areaOf, at, distanceFrom, patchOf, shared, union, type MaskPatch } from '../movers/maskPatch.ts';
import type { Mover } from '../movers/movers.ts';

/** What of a thing sticks out of its matte on one frame. Masks and areas in px of the small frames. */
export interface FrameCoverage {
  frame: number;
  /** Px that stick out. */
  out: number;
  /** The same as a share of the thing on that frame. */
  share: number;
  /** By how much the matte would have to grow to cover nearly all of them, px. */
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
/** A part smaller than this is the roughness of what was found: px, and share of the thing. */
const LEAST_OUT_PX = 7;
const LEAST_OUT_SHARE = 0.012;
/** And one that reaches less far out of the matte than this, as a share of the thing's size (the root of its area). */
const LEAST_DEPTH_SHARE = 0.1;
/**
 * But all parts count where they are more than this share of the thing together, and than this many times its size: a matte
 * that is a little too small all around lacks a rim.
 */
const RIM_SHARE = 0.1;
const RIM_SIZES = 2;
/** Where another thing touches this one, what is nearer to it than this may be part of it, px. */
const DOUBTFUL_PX = 12;
const TOUCHING_PX = 2;
/** Neighbours (with itself, of nine) that a px must share its lot with: single rows along an edge say nothing. */
const LEAST_TOGETHER = 5;

/**
 * The coverage watch: frames in which something that moves with a removal, its shadow too, lies outside of its matte.
 *
 * @param movers - What moves by itself in the shot.
 * @param covered - What the matte of a frame touches, at the size of the movers' masks; empty where there is none.
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
  const [whole, parts] = [areaOf(mask), partsOf(thick(rest))];
  const sum = parts.reduce((px, part) => px + areaOf(part), 0);
  const isRim = sum > Math.max(RIM_SHARE * whole, RIM_SIZES * Math.sqrt(whole));
  const out = isRim ? parts : parts.filter((part) => isOut(part, matte, whole));
  if (out.length === 0) return undefined;
  const all = out.reduce(union);
  return { frame, out: areaOf(all), share: areaOf(all) / whole, growth: mostWithin(all, matte), mask: all };
}

/** Whether a part that sticks out of the matte is more than the roughness of what was found. */
function isOut(part: MaskPatch, matte: MaskPatch, whole: number): boolean {
  const px = areaOf(part);
  if (px < LEAST_OUT_PX || px < LEAST_OUT_SHARE * whole || !hasHeart(part)) return false;
  return farthest(part, matte) >= LEAST_DEPTH_SHARE * Math.sqrt(whole);
}

const partsOf = (p: MaskPatch): MaskPatch[] =>
  components(p.data, p.width, p.height).map((px) => {
    const part = patchOf(px, p.width);
    return { ...part, x: part.x + p.x, y: part.y + p.y };
  });

/** Whether there is a px all of whose neighbours belong to a patch: a thread along an edge of the background has none. */
const hasHeart = (p: MaskPatch): boolean => p.data.some((_, i) => neighbours(p, i) === 9);

/** Px of a patch among one of its rectangle and those around it, of nine. */
function neighbours(p: MaskPatch, i: number): number {
  const [x, y] = [p.x + (i % p.width), p.y + Math.floor(i / p.width)];
  let n = 0;
  for (let b = -1; b <= 1; b++) for (let a = -1; a <= 1; a++) n += at(p, x + a, y + b);
  return n;
}

/** Px most of whose neighbours belong to a patch as well. */
const thick = (p: MaskPatch): MaskPatch => ({
  ...p,
  data: p.data.map((v, i) => (v && neighbours(p, i) >= LEAST_TOGETHER ? 1 : 0)),
});

const farthest = (out: MaskPatch, matte: MaskPatch): number => distances(out, matte).at(-1)!;

/** How far most of a patch lies from the matte, px: a corner or a thread farther out is mended by itself. */
function mostWithin(out: MaskPatch, matte: MaskPatch): number {
  const all = distances(out, matte);
  return all[Math.ceil(MOST * all.length) - 1];
}

/** Of a patch's px from the matte, ascending. */
function distances(out: MaskPatch, matte: MaskPatch): Float32Array {
  const px = [...out.data.keys()].filter((i) => out.data[i]);
  if (matte.data.length === 0) return new Float32Array(px.length).fill(Infinity);
  const distance = distanceFrom(matte, out);
  return Float32Array.from(px, (i) => distance[i]).sort();
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
const MOST_GROWTH = 4;
/** What mends this share is right: the rest is flagged again, and gets keys. */
const MOST = 0.9;

/** What mends most: growing the matte a little if that covers what sticks out on most frames, else a key where most does. */
export function mendOf(flagged: readonly FrameCoverage[]): Mend | undefined {
  if (flagged.length === 0) return undefined;
  const worst = flagged.reduce((a, b) => (b.share > a.share ? b : a));
  const growths = flagged.map((f) => f.growth).sort((a, b) => a - b);
  const growth = growths[Math.ceil(MOST * growths.length) - 1];
  return { kind: growth <= MOST_GROWTH ? 'grow' : 'key', growth, frame: worst.frame };
}
