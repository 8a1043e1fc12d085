import type { FrameReader } from '../image/format.ts';
import { areParts, type Together } from './areParts.ts';
import type { Step } from './linkRegions.ts';
import { centreOf, union } from './maskPatch.ts';
import { listed, type Mover } from './movers.ts';
import { maskAt } from './looks.ts';

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
    const one = areParts(togetherOf(a, b), frames, step);
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

/** The frames that have both. */
function togetherOf(a: Mover, b: Mover): Together[] {
  const out: Together[] = [];
  for (let frame = Math.max(a.first, b.first); frame <= Math.min(a.last, b.last); frame++) {
    out.push({ frame, a: maskAt(a, frame)!, b: maskAt(b, frame)! });
  }
  return out;
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
