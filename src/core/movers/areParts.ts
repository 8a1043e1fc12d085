import { evenly } from '../evenly.ts';
import type { Point } from '../geometry/homography.ts';
import { median } from '../geometry/linear.ts';
import type { FrameReader } from '../image/format.ts';
import type { Step } from './linkRegions.ts';
import { areaOf, type MaskPatch } from './maskPatch.ts';
import { areNear } from './mergeTrails.ts';
import { wayOf } from './ownWay.ts';

/** Frames in which two must be near each other, and the share of those that have both. */
const LEAST_FRAMES = 6;
const NEAR_SHARE = 0.8;
/** Frames on which it is looked which way both go, and over how many frames. */
const LOOKS = 9;
const APART = 3;
/** Looks that must say something. */
const LEAST_LOOKS = 3;
/** Their ways may usually differ by so many px, and by this share of the slower one's. */
const APART_PX = 1.5;
const APART_SHARE = 0.35;

/**
 * A scrap of something, a foot or a piece of its shadow, has at most this share of its size. It has no way of its own if it is found to
 * go its usual one in at most this share of the looks; or may differ by this share of the way.
 */
const SCRAP = 0.25;
const MOST_AGREEING = 0.5;
const SCRAP_APART_SHARE = 0.75;

/** Two that may be parts of one thing, on a frame that has both. */
export interface Together {
  frame: number;
  a: MaskPatch;
  b: MaskPatch;
}

/**
 * Whether two are parts of one thing: where both are there they are near each other, and what is under them goes the same way.
 *
 * @param together - Frames that have both, ascending.
 * @param frames - The small frames in which they were found.
 */
export function areParts(together: readonly Together[], frames: FrameReader, step: Step): boolean {
  const count = together.length;
  if (count < LEAST_FRAMES) return false;
  const near: Together[] = [];
  // Most are far from each other, or not always near, and that is soon seen.
  let mayBeApart = count - Math.max(LEAST_FRAMES, NEAR_SHARE * count);
  for (const two of together) {
    if (areNear(two.a, two.b, frames.format)) near.push(two);
    else if (--mayBeApart < 0) return false;
  }
  return goTogether(near, frames, step);
}

/** How what is under two goes from a frame, px; undefined where it is not found again, or rests. */
interface Look {
  a: Point | undefined;
  b: Point | undefined;
}

/** Legs swing and a shadow has hardly a pattern: a look may be wrong, and most of them are right. */
function goTogether(near: readonly Together[], frames: FrameReader, step: Step): boolean {
  const looks = evenly(near, LOOKS).map((two) => lookAt(two, frames, step));
  const both = looks.flatMap(({ a, b }) => (a && b ? { a, b } : []));
  const scrap = scrapOf(near);
  if (scrap && hasNoWay(looks.map((look) => look[scrap]))) return true;
  if (both.length < LEAST_LOOKS) return false;
  const apart = usual(both.map((look) => ({ x: look.b.x - look.a.x, y: look.b.y - look.a.y })));
  const ways = [usual(both.map((look) => look.a)), usual(both.map((look) => look.b))];
  const slower = Math.min(...ways.map(lengthOf));
  return lengthOf(apart) <= Math.max(APART_PX, (scrap ? SCRAP_APART_SHARE : APART_SHARE) * slower);
}

/** Which of two is a scrap, beside the other. */
function scrapOf(near: readonly Together[]): 'a' | 'b' | undefined {
  const [a, b] = (['a', 'b'] as const).map((k) => near.reduce((sum, two) => sum + areaOf(two[k]), 0));
  if (Math.min(a, b) > SCRAP * Math.max(a, b)) return undefined;
  return a < b ? 'a' : 'b';
}

const lengthOf = ({ x, y }: Point): number => Math.hypot(x, y);
const usual = (ways: readonly Point[]): Point => ({ x: median(ways.map((p) => p.x)), y: median(ways.map((p) => p.y)) });

function lookAt({ frame, a, b }: Together, frames: FrameReader, step: Step): Look {
  const to = frame + APART < frames.count ? frame + APART : frame - APART;
  if (to < 0) return { a: undefined, b: undefined };
  const wayUnder = (mask: MaskPatch): Point | undefined => {
    const { own } = wayOf(mask, frame, to, frames, step);
    return own && (to > frame ? own : { x: -own.x, y: -own.y });
  };
  return { a: wayUnder(a), b: wayUnder(b) };
}

/** Whether what is under something goes now this way, now that, or none at all. @param found - Its way by look. */
function hasNoWay(found: readonly (Point | undefined)[]): boolean {
  const ways = found.flatMap((way) => way ?? []);
  const way = usual(ways);
  const tolerated = Math.max(APART_PX, APART_SHARE * lengthOf(way));
  const agreeing = ways.filter(({ x, y }) => Math.hypot(x - way.x, y - way.y) <= tolerated).length;
  return agreeing <= MOST_AGREEING * found.length;
}
