import type { LossReason, TrackedFrame } from './followRegion.ts';

/** A part of what is followed that is solved by itself: between two anchors, or from an outer one to an end of the range. */
export interface Stretch<A> {
  anchors: A[];
  first: number;
  last: number;
}

/**
 * Parts of a range in which frames are missing. What lies between two other anchors is not touched.
 *
 * @param anchors - In order of frames.
 * @param has - Whether a frame is known already.
 */
export function stretchesToFollow<A extends { frame: number }>(
  anchors: readonly A[],
  has: (frame: number) => boolean,
  first: number,
  last: number,
): Stretch<A>[] {
  if (anchors.length === 0) return [];
  const [start, end] = [anchors[0], anchors[anchors.length - 1]];
  const missing = (from: number, to: number): boolean => {
    for (let t = from; t <= to; t++) if (!has(t)) return true;
    return false;
  };
  const out: Stretch<A>[] = [];
  for (let i = 0; i + 1 < anchors.length; i++) {
    const [a, b] = [anchors[i], anchors[i + 1]];
    if (missing(a.frame + 1, b.frame - 1)) out.push({ anchors: [a, b], first: a.frame, last: b.frame });
  }
  if (missing(end.frame + 1, last)) out.push({ anchors: [end], first: end.frame, last });
  if (missing(first, start.frame - 1)) out.push({ anchors: [start], first, last: start.frame });
  return out;
}

/** Lost frames gathered to stretches with one reason each, in order. */
export function lossesOf(
  frames: readonly Pick<TrackedFrame, 'frame' | 'loss'>[],
): { from: number; to: number; reason: LossReason }[] {
  const out: { from: number; to: number; reason: LossReason }[] = [];
  for (const { frame, loss } of frames) {
    const last = out.at(-1);
    if (!loss) continue;
    if (last?.to === frame - 1 && last.reason === loss) last.to = frame;
    else out.push({ from: frame, to: frame, reason: loss });
  }
  return out;
}
