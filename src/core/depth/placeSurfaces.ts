import { costsOn, detailCostsOn, disagreement, poorCost } from './agreement.ts';
import { chooseSurfaces } from './chooseSurfaces.ts';
import type { PlacedSurface, StretchDepth } from './depthPlaces.ts';
import { missedSurface, type Missed, type Sweep } from './missedSurface.ts';
import type { Part } from './surroundings.ts';
import { sweepSurface } from './sweepSurface.ts';
import type { Surface } from './surfaces.ts';
import type { PlaceIn, TileWindow, Witnesses } from './tileWindows.ts';

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
  const { part, placeOn, seen, sweep } = placing;
  const before = found.surfaces.length;
  let chosen = choose(placing, surfaces, found);
  const settled = surfaces.map(({ around, surface }, k) => {
    const own = part.tiles.filter((_, i) => chosen[i] === k + 1);
    const off = (s: Surface): Float64Array => disagreement(seen, placeOn({ around, surface: s }), own);
    return { around, surface: own.length > 0 ? sweepSurface(off, surface, sweep.unit) : surface };
  });
  const met: number[] = [];
  while (met.length < MOST_MISSED) {
    const missed = missedBehind(placing, settled, chosen, met);
    if (!missed) break;
    met.push(missed.met);
    settled.push({ around: part.around, surface: missed.surface });
    chosen = choose(placing, settled, found);
  }
  found.surfaces.push(...settled);
  part.tiles.forEach(({ tile }, i) => (found.tiles[tile] = chosen[i] === 0 ? 0 : before + chosen[i]));
}

/** Per tile the number of its surface, from 1; 0 for the camera's plane. */
const choose = (
  { seen, part, onPlane, placeOn }: Placing,
  surfaces: readonly PlacedSurface[],
  { cols, rows }: StretchDepth,
): Uint8Array => chooseSurfaces(seen, [onPlane, ...surfaces.map(placeOn)], part.tiles, cols, rows);

/** A surface for tiles about which the sources do not agree on the ones that were chosen. */
function missedBehind(
  { seen, part: { tiles, around }, onPlane, placeOn, sweep }: Placing,
  surfaces: readonly PlacedSurface[],
  chosen: Uint8Array,
  met: readonly number[],
): Missed | undefined {
  const poor: { tile: TileWindow; before: number }[] = [];
  [onPlane, ...surfaces.map(placeOn)].forEach((place, k) => {
    const own = tiles.filter((_, i) => chosen[i] === k);
    costsOn(seen, place, own).forEach((before, i) => {
      if (before > poorCost(seen)) poor.push({ tile: own[i], before });
    });
  });
  if (poor.length > MOST_POOR * tiles.length) return undefined;
  return missedSurface(
    poor.map(({ tile }) => tile),
    poor.map(({ before }) => before),
    (s, of) => detailCostsOn(seen, placeOn({ around, surface: s }), of, WITNESSES),
    sweep,
    met,
  );
}
