import { evenly } from '../evenly.ts';
import { detailCostsOn, disagreement, poorCost, wideCostAt } from './agreement.ts';
import { TriedTiles, type Shown } from './chooseSurfaces.ts';
import type { PlacedSurface, StretchDepth } from './depthPlaces.ts';
import { missedSurface, type Missed, type Sweep } from './missedSurface.ts';
import type { Part } from './surroundings.ts';
import { sweepSurface } from './sweepSurface.ts';
import type { Surface } from './surfaces.ts';
import { WINDOW, type PlaceIn, type Witnesses } from './tileWindows.ts';

/** Tiles by which a surface is brought to where sources agree: more of them hardly tell it better. */
const MOST_SWEPT = 60;
/** Surfaces that are looked for because the sources do not agree. */
const MOST_MISSED = 3;
/** Share of a part's tiles up to which they are a surface that was missed: more, and the world behind it is not rigid. */
const MOST_POOR = 0.25;
/** Frames that must see a tile for it to speak for one of these: of all depths there is one under which two or three agree by chance. */
const WITNESSES = 5;

/** Behind which part of a hole surfaces are placed, and who tells. */
export interface Placing {
  seen: Witnesses;
  part: Part;
  /** Places on the camera's plane, and on a surface. */
  onPlane: PlaceIn;
  placeOn: (surface: PlacedSurface) => PlaceIn;
  /** Where surfaces may be that no corners tell of. */
  sweep: Sweep;
}

/**
 * Gives each tile of a part of a hole one of its surfaces, or the camera's plane, and brings these to where their tiles agree best.
 * Where the sources agree about none, others are looked for.
 */
export function placeSurfaces(placing: Placing, surfaces: readonly PlacedSurface[], found: StretchDepth): void {
  const { part, placeOn, onPlane, seen, sweep } = placing;
  const before = found.surfaces.length;
  const tiles = new TriedTiles(seen, part.tiles);
  const choose = (of: readonly Shown[]): Uint8Array => tiles.choose(of, found.cols, found.rows);
  const shown = [tiles.on(onPlane), ...surfaces.map((s) => tiles.on(placeOn(s)))];
  let chosen = choose(shown);
  const settled = surfaces.map(({ around, surface }, k) => {
    const own = evenly(
      part.tiles.filter((_, i) => chosen[i] === k + 1),
      MOST_SWEPT,
    );
    const off = (s: Surface): Float64Array => disagreement(seen, placeOn({ around, surface: s }), own);
    const best = own.length > 0 ? sweepSurface(off, surface, sweep.unit) : surface;
    const placed = { around, surface: best };
    if (best !== surface) shown[k + 1] = tiles.on(placeOn(placed));
    return placed;
  });
  const met: number[] = [];
  while (met.length < MOST_MISSED) {
    const missed = missedBehind(placing, shown, chosen, met);
    if (!missed) break;
    met.push(missed.met);
    const placed = { around: part.around, surface: missed.surface };
    settled.push(placed);
    shown.push(tiles.on(placeOn(placed)));
    chosen = choose(shown);
  }
  found.surfaces.push(...settled);
  part.tiles.forEach(({ tile }, i) => (found.tiles[tile] = chosen[i] === 0 ? 0 : before + chosen[i]));
}

/** A surface for tiles about which the sources do not agree on the ones that were chosen. */
function missedBehind(
  { seen, part: { tiles, around }, placeOn, sweep }: Placing,
  shown: readonly Shown[],
  chosen: Uint8Array,
  met: readonly number[],
): Missed | undefined {
  const costs = tiles.map((_, t) => wideCostAt(shown[chosen[t]].views, t * WINDOW, seen.unit));
  const poor = [...tiles.keys()].filter((t) => costs[t] > poorCost(seen));
  if (poor.length > MOST_POOR * tiles.length) return undefined;
  return missedSurface(
    poor.map((t) => tiles[t]),
    poor.map((t) => costs[t]),
    (s, of) => detailCostsOn(seen, placeOn({ around, surface: s }), of, WITNESSES),
    sweep,
    met,
  );
}
