import { frameNumbers } from '../../contract/document.ts';

/**
 * Whether the anchors before, at and after a frame are what they were when it was followed.
 * @param a - By frame, what an anchor is.
 */
export function sameNeighbours(frame: number, a: Record<string, unknown>, b: Record<string, unknown>): boolean {
  const around = (anchors: Record<string, unknown>): string => {
    const frames = frameNumbers(anchors);
    const [before, after] = [frames.findLast((f) => f <= frame) ?? -1, frames.find((f) => f >= frame) ?? -1];
    return JSON.stringify([before, anchors[before], after, anchors[after]]);
  };
  return around(a) === around(b);
}
