import type { Visibility } from './visibility.ts';

/** Time distance, frames, at which a source is worth half as much. */
const HALF_WORTH = 30;

/**
 * The frames that a hole is filled from: greedily those that add most to cells with few sources, near ones first
 * (submodular cover, Nemhauser et al. 1978).
 *
 * @param most - Sources at most.
 * @param enough - Sources a cell needs before it stops asking.
 * @returns Frame numbers in ascending order.
 */
export function chooseSources(visibility: Visibility, most: number, enough: number): number[] {
  const { cells, sources, seen, frame } = visibility;
  const n = cells.length;
  const have = new Uint8Array(n);
  const left = sources.map((_, k) => k);
  const chosen: number[] = [];
  while (chosen.length < most && left.length > 0) {
    let best = -1;
    let worth = 0;
    left.forEach((k, at) => {
      let gain = 0;
      for (let i = 0, o = k * n; i < n; i++, o++) if (seen[o] === 1 && have[i] < enough) gain += 1 / (1 + have[i]);
      gain /= 1 + Math.abs(sources[k] - frame) / HALF_WORTH;
      if (gain > worth) {
        worth = gain;
        best = at;
      }
    });
    if (best < 0) break;
    const [k] = left.splice(best, 1);
    chosen.push(sources[k]);
    for (let i = 0, o = k * n; i < n; i++, o++) have[i] += seen[o];
  }
  return chosen.sort((a, b) => a - b);
}
