import type { Rect } from '../image/format.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import { unitSpace } from '../motion/space.ts';
import { shiftAt, type AffineShift, type FreeMotion } from './freeMotion.ts';
import { parallaxOf, putRight, type Epipole, type View } from './epipole.ts';
import { depthAt as depthOn, type Surface } from './surfaces.ts';

/** Depths are not carried on beyond the surroundings. */
const OUTERMOST = 1.2;

/** The surroundings of one part of a hole, frame px. Local coordinates: (place − centre) / scale. */
export interface Around {
  hole: Rect;
  cx: number;
  cy: number;
  scale: number;
}

export interface PlacedSurface {
  around: Around;
  surface: Surface;
  /** How it moves in the frames in which that is known, if no rigid world explains it: its depths then mean nothing. */
  motion?: FreeMotion;
}

/** What was measured around and behind the holes of a stretch of frames, in one of them: its key. Serialisable. */
export interface StretchDepth {
  /** The key. */
  frame: number;
  rect: Rect;
  cols: number;
  rows: number;
  /** Number of the surface behind each tile of the rectangle, 0 = the camera's plane. */
  tiles: Uint8Array;
  /** By number − 1. */
  surfaces: PlacedSurface[];
  /** 1 if what is nearer has the greater depths, -1 if the smaller ones, 0 if that could not be told. */
  nearer: -1 | 0 | 1;
  /** Of the frames in which the depths are known. */
  epipoles: Map<number, Epipole>;
}

/** Local coordinate of a place: u of its x (axis 0), v of its y (axis 1). */
export function local(around: Around, axis: 0 | 1, place: number): number {
  const v = (place - (axis === 0 ? around.cx : around.cy)) / around.scale;
  return Math.max(-OUTERMOST, Math.min(OUTERMOST, v));
}

/** Depth of a surface at a place of the frame in which it was measured. */
export const depthOf = ({ around, surface }: PlacedSurface, x: number, y: number): number =>
  depthOn(surface, local(around, 0, x), local(around, 1, y));

/** Third homogeneous coordinate of the camera's plane at places of a frame, 1 at its centre. */
export function scalesOf(camera: CameraMotion, from: number, to: number, places: ArrayLike<number>): Float64Array {
  const { cx, cy } = unitSpace(camera.data.width, camera.data.height);
  const m = camera.plane(from, to);
  const at = (x: number, y: number): number => m[6] * x + m[7] * y + m[8];
  const centre = at(cx, cy);
  const out = new Float64Array(places.length / 2);
  for (let i = 0; i < out.length; i++) out[i] = at(places[2 * i], places[2 * i + 1]) / centre;
  return out;
}

/**
 * What a source shows of corners of a frame.
 * @param moved - How far off the camera's plane each was found, frame px, interleaved; NaN where it was not.
 */
export function viewFrom(
  camera: CameraMotion,
  frame: number,
  source: number,
  corners: Float64Array,
  moved: Float64Array,
): View {
  const { half } = unitSpace(camera.data.width, camera.data.height);
  const guess = corners.slice();
  camera.map(frame, source, guess);
  return {
    places: toUnitSpace(camera, corners),
    guess: toUnitSpace(camera, guess),
    scale: scalesOf(camera, frame, source, corners),
    moved: moved.map((v) => v / half),
  };
}

/** Places, interleaved x, y in frame px, in unit space. */
export function toUnitSpace(camera: CameraMotion, places: Float64Array): Float64Array {
  const { half, cx, cy } = unitSpace(camera.data.width, camera.data.height);
  return places.map((v, i) => (v - (i % 2 === 0 ? cx : cy)) / half);
}

/** Whether a stretch knows where a frame shows what lies on one of its surfaces. */
export const isKnownIn = (depth: StretchDepth, { motion }: PlacedSurface, frame: number): boolean =>
  frame === depth.frame || (motion ?? depth.epipoles).has(frame);

/**
 * Where places of the frame in which a stretch was measured, which lie on one of its surfaces, are seen by another frame.
 * @param points - Interleaved x, y, frame px; overwritten.
 * @returns Whether that is known; otherwise they go as the camera's plane does.
 */
export function mapOnSurface(
  camera: CameraMotion,
  depth: StretchDepth,
  placed: PlacedSurface,
  to: number,
  points: Float32Array | Float64Array,
): boolean {
  const from = points.slice();
  camera.map(depth.frame, to, points);
  if (placed.motion) return moveFreely(placed, placed.motion.get(to), from, points);
  const e = depth.epipoles.get(to);
  if (e) moveByDepth(camera, depth.frame, to, e, from, points, (i) => depthOf(placed, from[2 * i], from[2 * i + 1]));
  return e !== undefined;
}

type Places = Float32Array | Float64Array;

function moveFreely({ around }: PlacedSurface, shift: AffineShift | undefined, from: Places, points: Places): boolean {
  if (!shift) return false;
  for (let i = 0; i < from.length; i += 2) {
    const [dx, dy] = shiftAt(shift, local(around, 0, from[i]), local(around, 1, from[i + 1]));
    points[i] += dx;
    points[i + 1] += dy;
  }
  return true;
}

/**
 * Moves places from where the camera's plane puts them to where an epipole does.
 * @param from - Where they are in the frame in which depths are known; @param points - where the plane puts them; overwritten.
 * @param depthAt - Depth of a place, by its number.
 */
export function moveByDepth(
  camera: CameraMotion,
  key: number,
  to: number,
  e: Epipole,
  from: Places,
  points: Places,
  depthAt: (i: number) => number,
): void {
  moveRight(camera, e, rightPlaces(camera, key, to, e, from, points), points, depthAt);
}

/** Three numbers a place: where the camera's plane, put right, shows it, in unit space, and its third homogeneous coordinate. */
function rightPlaces(
  camera: CameraMotion,
  key: number,
  to: number,
  e: Epipole,
  from: Places,
  points: Places,
): Float64Array {
  const { half, cx, cy } = unitSpace(camera.data.width, camera.data.height);
  const scales = scalesOf(camera, key, to, from);
  const out = new Float64Array(3 * scales.length);
  for (let i = 0; i < scales.length; i++) {
    const [px, py] = [from[2 * i], from[2 * i + 1]];
    const [gx, gy] = [(points[2 * i] - cx) / half, (points[2 * i + 1] - cy) / half];
    const [x, y, w] = putRight(e, (px - cx) / half, (py - cy) / half, gx, gy, scales[i]);
    out[3 * i] = x;
    out[3 * i + 1] = y;
    out[3 * i + 2] = w;
  }
  return out;
}

/** Moves places that were put right by their depths. @param points - Overwritten. */
function moveRight(
  camera: CameraMotion,
  e: Epipole,
  right: Float64Array,
  points: Places,
  depthAt: (i: number) => number,
): void {
  const { half, cx, cy } = unitSpace(camera.data.width, camera.data.height);
  for (let i = 0, k = 0; k < right.length; i++, k += 3) {
    const [x, y, w] = [right[k], right[k + 1], right[k + 2]];
    const [dx, dy] = parallaxOf(e, x, y, w, depthAt(i));
    points[2 * i] = cx + half * (x + dx);
    points[2 * i + 1] = cy + half * (y + dy);
  }
}

/** Places of which it is kept, per frame: tiles', and those of what lies around some of them. */
const HELD = 3;

/** Where the camera's plane, put right, shows some places. */
interface Right {
  e: Epipole;
  from: Float32Array;
  right: Float64Array;
}

/**
 * {@link mapOnSurface} for surfaces of one stretch that are tried one after the other for the same places: only depths differ, the rest is
 * kept, per frame for the places that were asked for last.
 */
export class TriedSurfaces {
  private readonly held = new Map<number, Right[]>();

  constructor(
    private readonly camera: CameraMotion,
    private readonly depth: StretchDepth,
  ) {}

  /** @param points - Interleaved x, y, frame px; overwritten. */
  map(placed: PlacedSurface, to: number, points: Float32Array): boolean {
    const e = this.depth.epipoles.get(to);
    if (placed.motion || !e) return mapOnSurface(this.camera, this.depth, placed, to, points);
    const { from, right } = this.rightOf(to, e, points);
    moveRight(this.camera, e, right, points, (i) => depthOf(placed, from[2 * i], from[2 * i + 1]));
    return true;
  }

  private rightOf(to: number, e: Epipole, points: Float32Array): Right {
    const held = this.held.get(to) ?? [];
    const known = held.find((one) => one.e === e && isSame(one.from, points));
    if (known) return known;
    const from = points.slice();
    this.camera.map(this.depth.frame, to, points);
    const made = { e, from, right: rightPlaces(this.camera, this.depth.frame, to, e, from, points) };
    this.held.set(to, [made, ...held].slice(0, HELD));
    return made;
  }
}

function isSame(a: Float32Array, b: Float32Array): boolean {
  if (a.length !== b.length) return false;
  for (let i = 0; i < a.length; i++) if (a[i] !== b[i]) return false;
  return true;
}
