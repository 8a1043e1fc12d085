import { evenly } from '../evenly.ts';
import type { FrameReader } from '../image/format.ts';
import type { Step } from './linkRegions.ts';
import { centreOf, union } from './maskPatch.ts';
import { areNear } from './mergeTrails.ts';
import { listed, type Mover } from './movers.ts';
import { maskAt } from './looks.ts';
import { wayOf } from './ownWay.ts';

/** Frames in which two must be near each other, and the share of those that have both. */
const LEAST_FRAMES = 6;
const NEAR_SHARE = 0.8;
/** Frames on which it is looked which way both go, and over how many frames. */
const LOOKS = 6;
const APART = 3;
/** Looks that must say something, and the share of them in which both go the same way. */
const LEAST_LOOKS = 3;
const AGREEING_SHARE = 0.8;
/** Ways may differ by so many px, and by this share of the way. */
const APART_PX = 1.5;
const APART_SHARE = 0.15;

/**
 * Joins movers that are parts of one thing, found one after another: wherever two of them are there they are near each other, and
 * what is under them goes the same way. A cyclist shows himself as a wheel, then as a back and a wheel, and the middles of such
 * parts, of which more or less is seen, say nothing of where he goes.
 *
 * @param movers - From `moversOf`.
 * @param frames - The small frames in which they were found.
 */
export function joinParts(movers: readonly Mover[], frames: FrameReader, step: Step): Mover[] {
  const out = [...movers];
  const two = new Map<Mover, Set<Mover>>();
  const isOne = (a: Mover, b: Mover): boolean => {
    if (two.get(a)?.has(b)) return false;
    const one = areOne(a, b, frames, step);
    if (!one) two.set(a, (two.get(a) ?? new Set()).add(b));
    return one;
  };
  for (let a = 0; a < out.length; a++) {
    const b = out.findIndex((other, k) => k > a && isOne(out[a], other));
    if (b < 0) continue;
    out[a] = joined(out[a], out[b]);
    out.splice(b, 1);
    // What has grown is near others than before, those before it too.
    a = -1;
  }
  return out.length === movers.length ? out : listed(out);
}

function areOne(a: Mover, b: Mover, frames: FrameReader, step: Step): boolean {
  const from = Math.max(a.first, b.first);
  const count = Math.min(a.last, b.last) - from + 1;
  if (count < LEAST_FRAMES) return false;
  const near: number[] = [];
  // Most are far from each other, or not always near, and that is soon seen.
  const mostApart = count - Math.max(LEAST_FRAMES, NEAR_SHARE * count);
  for (let t = from, apart = 0; t < from + count; t++) {
    if (areNear(maskAt(a, t)!, maskAt(b, t)!, frames.format)) near.push(t);
    else if (++apart > mostApart) return false;
  }
  return goTogether(a, b, near, frames, step);
}

/** Whether both go the same way. @param near - Frames that have both. */
function goTogether(a: Mover, b: Mover, near: readonly number[], frames: FrameReader, step: Step): boolean {
  let [agreeing, looks] = [0, 0];
  for (const t of evenly(near, LOOKS)) {
    const to = t + APART < frames.count ? t + APART : t - APART;
    if (to < 0) continue;
    const one = wayOf(maskAt(a, t)!, t, to, frames, step).own;
    const other = one && wayOf(maskAt(b, t)!, t, to, frames, step).own;
    if (!other) continue;
    const allowed = Math.max(APART_PX, APART_SHARE * Math.hypot(one.x, one.y));
    looks++;
    if (Math.hypot(one.x - other.x, one.y - other.y) <= allowed) agreeing++;
  }
  return looks >= LEAST_LOOKS && agreeing >= AGREEING_SHARE * looks;
}

/** Two that have frames in common, as one. */
function joined(a: Mover, b: Mover): Mover {
  const [first, last] = [Math.min(a.first, b.first), Math.max(a.last, b.last)];
  const masks = Array.from({ length: last - first + 1 }, (_, k) => {
    const [one, other] = [maskAt(a, first + k), maskAt(b, first + k)];
    return one && other ? union(one, other) : (one ?? other)!;
  });
  return { first, last, masks, path: masks.map(centreOf), best: a.best };
}
