import type { Surface } from './surfaces.ts';

/** Steps of the search, in depths that move a place by one analysis px; each starts where the one before ended. */
const STEPS = [0.5, 0.25, 0.12];
/** Steps to one side that are tried before the search is given up. */
const MOST_STEPS = 4;
/** Share by which the disagreement must fall for a surface to be moved at all. */
const WORTH = 0.01;

/**
 * Brings a surface to where the frames that see what lies on it agree best about it: a plane sweep (Collins 1996) around
 * the depth that corners gave, first of the whole surface, then of its slopes.
 *
 * @param disagreement - Per tile; NaN where nothing is known.
 * @param unit - Depth that moves a place by one analysis px in the source that shows most of it.
 */
export function sweepSurface(disagreement: (surface: Surface) => Float64Array, start: Surface, unit: number): Surface {
  const before = disagreement(start);
  // What a candidate does not show neither speaks for it nor against it.
  const price = (surface: Surface): number =>
    disagreement(surface).reduce((sum, v, t) => {
      if (Number.isNaN(before[t])) return sum;
      return sum + (Number.isNaN(v) ? before[t] : v);
    }, 0);
  const first = price(start);
  let [best, least] = [start, first];
  for (const step of STEPS) {
    for (const axis of [0, 1, 2]) {
      for (const sign of [-1, 1]) {
        const from = best;
        for (let k = 1; k <= MOST_STEPS; k++) {
          const moved = from.map((v, i) => (i === axis ? v + k * sign * step * unit : v));
          const p = price(moved);
          if (p >= least) break;
          [best, least] = [moved, p];
        }
      }
    }
  }
  return least < (1 - WORTH) * first ? best : start;
}
