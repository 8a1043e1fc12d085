import { FARTHEST, isOneSided, type Around } from './evidence.ts';

/**
 * Runs of frames at the ends of a film's scenes that have few others to be compared with on one side, each in the order in
 * which they are to be looked at: from within a scene to its ends, so that what moves in the others is known. Where both ends
 * of a scene are compared with one another they are one run.
 */
export function endRuns(around: Around, count: number): number[][] {
  const runs: number[][] = [];
  for (let t = 0; t < count; t++) {
    if (!isOneSided(around, t, count)) continue;
    const last = runs.at(-1)?.at(-1);
    if (last !== undefined && t - last <= FARTHEST && around.sameScene(last, t)) runs.at(-1)!.push(t);
    else runs.push([t]);
  }
  const isInScene = (s: number, t: number): boolean => s >= 0 && s < count && around.sameScene(s, t);
  const toEnd = (t: number): number => {
    let d = 0;
    while (isInScene(t - d - 1, t) && isInScene(t + d + 1, t)) d++;
    return d;
  };
  return runs.map((run) => run.sort((a, b) => toEnd(b) - toEnd(a)));
}
