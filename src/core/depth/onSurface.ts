import type { CameraMotion } from '../motion/cameraMotion.ts';
import { isKnownIn, mapOnSurface, type StretchDepth } from './depthPlaces.ts';
import { CAMERA_PLANE } from './frameMap.ts';
import type { TiledRegion } from './tiledRegion.ts';

/** Rounds in which a place is carried back to the key: parallax changes slowly with it, so that what is left over falls tenfold or more. */
const BACK_ROUNDS = 3;
/** What may have been left over before the last round, frame px. */
const LEFT_OVER = 0.1;

/** One of the surfaces of a stretch, by its number there; {@link CAMERA_PLANE} is one, too. */
export interface OnSurface {
  depth: StretchDepth;
  surface: number;
}

/** Carries places from the key of a stretch to a frame in which its depths are known; elsewhere as the camera moves. */
export function fromKey(
  camera: CameraMotion,
  { depth, surface }: OnSurface,
  to: number,
  points: Float32Array | Float64Array,
): void {
  if (depth.frame === to) return;
  if (surface === CAMERA_PLANE) return camera.map(depth.frame, to, points);
  mapOnSurface(camera, depth, depth.surfaces[surface - 1], to, points);
}

/** The way back of {@link fromKey}: from the camera's guess, by what is left over. */
export function toKey(camera: CameraMotion, on: OnSurface, from: number, points: Float32Array | Float64Array): void {
  const key = on.depth.frame;
  if (from === key) return;
  const wanted = points.slice();
  camera.map(from, key, points);
  if (on.surface === CAMERA_PLANE) return;
  for (let round = 0; round < BACK_ROUNDS; round++) {
    const there = points.slice();
    fromKey(camera, on, from, there);
    let most = 0;
    for (let i = 0; i < points.length; i++) {
      const left = wanted[i] - there[i];
      points[i] += left;
      most = Math.max(most, Math.abs(left));
    }
    if (most < LEFT_OVER) return;
  }
}

/** Which surface lies behind each tile of a region: the one that leads to a tile of the key on which that surface lies. */
export function tilesOf(camera: CameraMotion, region: TiledRegion, depth: StretchDepth): Uint8Array {
  const used = [...region.active.keys()].filter((i) => region.active[i] > 0);
  const found = surfacesAt(camera, depth, region.frame, centresOf(region, used), region.rect.width / region.cols);
  const out = new Uint8Array(region.active.length);
  used.forEach((tile, k) => (out[tile] = found[k]));
  return out;
}

/** The same for places of a frame. @param side - Of a tile, px. */
export function surfacesAt(
  camera: CameraMotion,
  depth: StretchDepth,
  frame: number,
  places: Float64Array,
  side: number,
): Uint8Array {
  const at = (there: Float64Array, i: number): number => {
    const c = Math.floor((there[2 * i] - depth.rect.x) / side);
    const r = Math.floor((there[2 * i + 1] - depth.rect.y) / side);
    const outside = c < 0 || r < 0 || c >= depth.cols || r >= depth.rows;
    return outside ? CAMERA_PLANE : depth.tiles[r * depth.cols + c];
  };
  const out = new Uint8Array(places.length / 2);
  for (const surface of [CAMERA_PLANE, ...depth.surfaces.map((_, k) => k + 1)]) {
    const there = places.slice();
    toKey(camera, { depth, surface }, frame, there);
    for (let i = 0; i < out.length; i++) {
      const tile = at(there, i);
      if (surface === CAMERA_PLANE || tile === surface) out[i] = tile;
    }
  }
  return out;
}

/** Whether a stretch knows where a frame shows a surface; of the camera's plane it knows it wherever it knows depths. */
export const reaches = ({ depth, surface }: OnSurface, frame: number): boolean =>
  surface === CAMERA_PLANE
    ? depth.frame === frame || depth.epipoles.has(frame)
    : isKnownIn(depth, depth.surfaces[surface - 1], frame);

/** The frames other than the key in which a stretch knows a surface. */
export const framesOf = ({ depth, surface }: OnSurface): number[] => [
  ...((surface === CAMERA_PLANE ? undefined : depth.surfaces[surface - 1].motion) ?? depth.epipoles).keys(),
];

/** Centres of tiles of a region, interleaved x, y, frame px. */
export function centresOf({ rect, cols }: TiledRegion, tiles: readonly number[]): Float64Array {
  const side = rect.width / cols;
  return Float64Array.from(
    tiles.flatMap((i) => [rect.x + ((i % cols) + 0.5) * side, rect.y + (Math.floor(i / cols) + 0.5) * side]),
  );
}

/** Overwrites places by the weighted mean of what several ways make of them. */
export function blend(
  points: Float32Array | Float64Array,
  ways: readonly { weight: number; places: ArrayLike<number> }[],
): void {
  const total = ways.reduce((sum, { weight }) => sum + weight, 0);
  for (let i = 0; i < points.length; i++) {
    points[i] = ways.reduce((sum, { weight, places }) => sum + weight * places[i], 0) / total;
  }
}
