import type { CameraMotion } from '../motion/cameraMotion.ts';
import { alignMotion } from './alignMotion.ts';
import { costsOn, poorCost } from './agreement.ts';
import { TriedTiles } from './chooseSurfaces.ts';
import { local, mapOnSurface, type PlacedSurface, type StretchDepth } from './depthPlaces.ts';
import { CAMERA_PLANE } from './frameMap.ts';
import type { FollowedCorners } from './followCorners.ts';
import { freeMotions } from './freeMotion.ts';
import { cornersAround, type Part } from './surroundings.ts';
import type { PlaceIn, Witnesses } from './tileWindows.ts';

/** Share of a part's tiles about which the sources may not agree. */
const POOR_SHARE = 0.15;
/** What moves alike stays together to so many px in every source, analysis px. */
const TOGETHER = 0.7;
/** Rounds of aligning motions on the tiles that chose them, and choosing again. */
const ROUNDS = 2;
/** Tiles that a motion is aligned on. */
const LEAST_TILES = 3;
/** What was found is kept if it brings the disagreement down to this share. */
const WORTH = 0.9;

/** What the search for free motions around a part of a hole looks at. */
export interface FreeSearch {
  camera: CameraMotion;
  /** With all sources of the stretch. */
  seen: Witnesses;
  part: Part;
  followed: () => FollowedCorners;
  /** One px of the analysis image, frame px. */
  px: number;
  cols: number;
  rows: number;
}

/**
 * Where sources do not agree about a part of a hole, neither on the camera's plane nor on surfaces of a rigid world, whatever moves
 * alike around it is asked too: electronic stabilisers, time lapses from moving hands and lenses bend what they show. What the
 * sources then agree about better is taken into what was found.
 */
export function findFree(search: FreeSearch, found: StretchDepth): void {
  const { part, seen, cols, rows } = search;
  const before = [...new Set(part.tiles.map(({ tile }) => found.tiles[tile]))].sort((a, b) => a - b);
  const old = costsOf(search, found);
  const poor = poorCost(seen);
  if (old.filter((v) => v > poor).length < POOR_SHARE * part.tiles.length) return;
  const added = motionsAround(search, found.frame);
  if (added.length === 0) return;
  const kept = part.tiles.map(({ tile }) => found.tiles[tile]);
  const first = found.surfaces.length;
  found.surfaces.push(...added);
  const among = [...before, ...added.map((_, k) => first + 1 + k)];
  const tiles = new TriedTiles(seen, part.tiles);
  const shownBefore = before.map((n) => tiles.on(placeOn(search, found, n)));
  const choose = (): void => {
    const shownNow = added.map((_, k) => tiles.on(placeOn(search, found, first + 1 + k)));
    const chosen = tiles.choose([...shownBefore, ...shownNow], cols, rows);
    part.tiles.forEach(({ tile }, i) => (found.tiles[tile] = among[chosen[i]]));
  };
  choose();
  for (let round = 0; round < ROUNDS; round++) {
    added.forEach((surface, k) => align(search, found, surface, first + 1 + k));
    choose();
  }
  if (sum(costsOf(search, found)) < WORTH * sum(old)) return;
  part.tiles.forEach(({ tile }, i) => (found.tiles[tile] = kept[i]));
  found.surfaces.length = first;
}

/** Groups of corners that move alike, as surfaces. */
function motionsAround({ part, followed, px, seen }: FreeSearch, frame: number): PlacedSurface[] {
  const { around } = part;
  const { places: corners, moved } = followed();
  const { numbers, places, counts } = cornersAround(around, corners, px);
  const own = new Map(
    [...moved].map(([s, m]) => [s, Float64Array.from(numbers.flatMap((i) => [m[2 * i], m[2 * i + 1]]))]),
  );
  const sources = seen.sources.filter((s) => s !== frame);
  const motions = freeMotions({ places, counts, moved: own }, frame, sources, TOGETHER * px);
  return motions.map((motion) => ({
    around,
    surface: Float64Array.of(0, 0, 0),
    motion,
  }));
}

function align({ camera, seen, part }: FreeSearch, found: StretchDepth, placed: PlacedSurface, number: number): void {
  const tiles = part.tiles.filter(({ tile }) => found.tiles[tile] === number);
  if (tiles.length < LEAST_TILES) return;
  placed.motion = alignMotion(seen, placed.motion!, tiles, {
    onPlane: (source, points) => camera.map(found.frame, source, points),
    local: (points) => Float64Array.from(points, (v, i) => local(placed.around, i % 2 === 0 ? 0 : 1, v)),
  });
}

/** How far the sources disagree about each tile on the surface that was chosen for it; 0 where too few see it. */
function costsOf(search: FreeSearch, found: StretchDepth): number[] {
  const { seen, part } = search;
  const chosen = part.tiles.map(({ tile }) => found.tiles[tile]);
  const out = new Array<number>(chosen.length).fill(0);
  for (const n of new Set(chosen)) {
    const own = [...chosen.keys()].filter((i) => chosen[i] === n);
    const costs = costsOn(
      seen,
      placeOn(search, found, n),
      own.map((i) => part.tiles[i]),
    );
    own.forEach((i, k) => (out[i] = costs[k] || 0));
  }
  return out;
}

function placeOn({ camera }: FreeSearch, found: StretchDepth, number: number): PlaceIn {
  if (number !== CAMERA_PLANE) {
    return (source, points) => mapOnSurface(camera, found, found.surfaces[number - 1], source, points);
  }
  return (source, points) => {
    camera.map(found.frame, source, points);
    return true;
  };
}

const sum = (values: readonly number[]): number => values.reduce((all, v) => all + v, 0);
