import type { TileWindow } from './tileWindows.ts';
import { sweepSurface } from './sweepSurface.ts';
import type { Slope, Surface } from './surfaces.ts';

/** Tiles that the sources must come to agree about for a surface to be one. */
const LEAST_TILES = 3;
/** Share of the disagreement that is left of these at most. */
const LEFT = 0.5;

/** Depths that are tried at most. */
const MOST_STEPS = 120;

/** What is swept: surfaces of one slope, from one depth at the middle of the surroundings to another. */
export interface Sweep {
  slope: Slope;
  from: number;
  to: number;
  /** Depth that moves a place by one analysis px in the source that shows most of it. */
  unit: number;
}

/**
 * A surface that no corners tell of: reeds, leaves and gratings have many that are all alike, and few of them are found again. Where the sources do not
 * agree about tiles, whatever surface was chosen, what faces the camera is swept through all depths (plane sweep, Collins 1996), to
 * where they agree about most of them.
 *
 * @param tiles - About which they do not agree.
 * @param before - How far they do not, per tile.
 * @param disagreement - The same on another surface; NaN where nothing is known.
 * @returns undefined where they agree about too few on any.
 */
export function missedSurface(
  tiles: readonly TileWindow[],
  before: readonly number[],
  disagreement: (surface: Surface, tiles: readonly TileWindow[]) => Float64Array,
  { slope, from, to, unit }: Sweep,
): Surface | undefined {
  if (tiles.length < LEAST_TILES) return undefined;
  let best: { surface: Surface; explained: number[] } | undefined;
  let most = 0;
  const step = Math.max(unit, (to - from) / MOST_STEPS);
  for (let depth = from; depth <= to; depth += step) {
    const surface = Float64Array.of(depth, ...slope);
    const costs = disagreement(surface, tiles);
    const explained = [...costs.keys()].filter((t) => costs[t] < LEFT * before[t]);
    const gain = explained.reduce((sum, t) => sum + before[t] - costs[t], 0);
    if (explained.length < LEAST_TILES || gain <= most) continue;
    best = { surface, explained };
    most = gain;
  }
  if (!best) return undefined;
  const own = best.explained.map((t) => tiles[t]);
  return sweepSurface((surface) => disagreement(surface, own), best.surface, unit);
}
