import type { TileWindow } from './tileWindows.ts';
import { sweepSurface } from './sweepSurface.ts';
import type { Slope, Surface } from './surfaces.ts';

/** Tiles that the sources must come to agree about for a surface to be one. */
const LEAST_TILES = 3;
/** Share of the disagreement that is left of these at most. */
const LEFT = 0.5;

/**
 * Depths that are tried at most for many tiles, and depths times tiles for few of them: a thin pole is found at no other depth than its own. How many steps a
 * depth must be away from where others were met.
 */
const MOST_STEPS = 120;
const MOST_TRIED = 8000;
const ANOTHER = 3;

/** What is swept: surfaces of one slope, from one depth at the middle of the surroundings to another. */
export interface Sweep {
  slope: Slope;
  from: number;
  to: number;
  /** Depth that moves a place by one analysis px in the source that shows most of it. */
  unit: number;
}

/** A surface, and the depth of the sweep at which it was met, at the middle of the surroundings. */
export interface Missed {
  surface: Surface;
  met: number;
}

/**
 * A surface that no corners tell of: reeds, leaves and gratings have many that are all alike, and few of them are found again. Where the sources do not
 * agree about tiles, whatever surface was chosen, what faces the camera is swept through all depths (plane sweep, Collins 1996), to
 * where they agree about most of them.
 *
 * @param tiles - About which they do not agree.
 * @param before - How far they do not, per tile.
 * @param disagreement - The same on another surface; NaN where nothing is known.
 * @param metBefore - Depths at which others were met: few tiles may have been left to them, and they would be found again.
 * @returns undefined where they agree about too few on any.
 */
export function missedSurface(
  tiles: readonly TileWindow[],
  before: readonly number[],
  disagreement: (surface: Surface, tiles: readonly TileWindow[]) => Float64Array,
  { slope, from, to, unit }: Sweep,
  metBefore: readonly number[] = [],
): Missed | undefined {
  if (tiles.length < LEAST_TILES) return undefined;
  let best: { surface: Surface; explained: number[] } | undefined;
  let most = 0;
  const step = Math.max(unit, (to - from) / Math.max(MOST_STEPS, MOST_TRIED / tiles.length));
  for (let depth = from; depth <= to; depth += step) {
    if (metBefore.some((d) => Math.abs(depth - d) < ANOTHER * step)) continue;
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
  const surface = sweepSurface((s) => disagreement(s, own), best.surface, unit);
  return { surface, met: best.surface[0] };
}
