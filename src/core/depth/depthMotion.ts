import type { Kernels } from '../../kernels/index.ts';
import { grow, type Rect } from '../image/format.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import { FEW_CORNERS_ACROSS, type BlockedAt } from '../motion/links.ts';
import type { Pyramids } from '../motion/pyramids.ts';
import { unitSpace, type UnitSpace } from '../motion/space.ts';
import { chooseSurfaces, disagreement, type PlaceIn, type Witnesses } from './chooseSurfaces.ts';
import { CornerFollower } from './followCorners.ts';
import { CAMERA_PLANE, type FrameMap } from './frameMap.ts';
import { holeParts, type HolePart } from './holeParts.ts';
import { unitedRegion, type TiledRegion } from './tiledRegion.ts';
import {
  epipoleOf,
  findParallax,
  parallaxOf,
  sampleEpipole,
  type Epipole,
  type Parallax,
  type View,
} from './parallax.ts';
import { depthAt, surfacesOf, type Surface } from './surfaces.ts';
import { sweepSurface } from './sweepSurface.ts';

/** How far around a hole corners are followed, and where one's weight is halved, analysis px. */
const SURROUNDINGS = 44;
const NEAR = 12;
/** Parallax that is worth following, in the source that shows most of it, analysis px. */
const LEAST_PARALLAX = 0.2;
/** Depths that differ by so many px in the source that shows most of it are one surface, analysis px. */
const SAME_SURFACE = 0.5;
/** Sources, the farthest ones, that tell whether there is any parallax. */
const PROBES = 2;
/** Sources that depths are measured with, and corners that the others are asked for. */
const MEASURED = 5;
const ASKED = 80;
/** Depths are not carried on beyond the surroundings. */
const OUTERMOST = 1.2;

/** The surroundings of one part of a hole, frame px. Local coordinates: (place − centre) / scale. */
interface Around {
  hole: Rect;
  cx: number;
  cy: number;
  scale: number;
}

interface PlacedSurface {
  around: Around;
  surface: Surface;
}

interface FrameDepth {
  tiles: Uint8Array;
  /** By number − 1. */
  surfaces: PlacedSurface[];
  /** Of the sources in which depths are known. */
  epipoles: Map<number, Epipole>;
}

/** A frame whose depths are those of another one, the key of its stretch, and which of their surfaces lies behind each tile. */
interface Keyed {
  key: number;
  tiles: Uint8Array;
}

/** Rounds in which a place is carried back to the key: parallax changes slowly with it. */
const BACK_ROUNDS = 3;

/**
 * The camera's motion, and what is nearer or farther than its plane around and behind the holes: corners around each part
 * of a hole are followed to its sources, their parallax is split into depths and directions, the depths into surfaces,
 * and each tile of the hole gets the surface under which the sources agree. A stretch of frames shares the depths found in
 * one of them, so that its fills do not jump from frame to frame.
 */
export class DepthMotion implements FrameMap {
  private readonly depths = new Map<number, FrameDepth>();
  private readonly keyed = new Map<number, Keyed>();
  private readonly follower: CornerFollower;
  private readonly space: UnitSpace;

  constructor(
    private readonly kernels: Kernels,
    private readonly camera: CameraMotion,
    private readonly pyramids: Pyramids,
    private readonly blocked: BlockedAt,
    /** Sample units per 8-bit level. */
    private readonly unit: number,
  ) {
    this.space = unitSpace(camera.data.width, camera.data.height);
    this.follower = new CornerFollower(kernels, camera, pyramids, blocked);
  }

  /** One px of the analysis image in unit space. */
  private get unitPx(): number {
    return this.pyramids.scale / this.space.half;
  }

  surfaces(frame: number): Uint8Array | undefined {
    return this.keyed.get(frame)?.tiles;
  }

  knows(from: number, to: number, surface: number): boolean {
    if (surface === CAMERA_PLANE || from === to) return true;
    const { key } = this.keyed.get(from)!;
    return to === key || this.depths.get(key)!.epipoles.has(to);
  }

  map(from: number, to: number, points: Float32Array | Float64Array, surface: number): void {
    if (from === to) return;
    const key = surface === CAMERA_PLANE ? undefined : this.keyed.get(from)?.key;
    if (key === undefined) return this.camera.map(from, to, points);
    this.toKey(from, key, points, surface);
    this.fromKey(key, to, points, surface);
  }

  /** From the key of a stretch to a frame in which its depths are known; elsewhere as the camera moves. */
  private fromKey(key: number, to: number, points: Float32Array | Float64Array, surface: number): void {
    if (key === to) return;
    const { epipoles, surfaces } = this.depths.get(key)!;
    const e = epipoles.get(to);
    if (e) this.mapOn(surfaces[surface - 1], e, key, to, points);
    else this.camera.map(key, to, points);
  }

  /** The way back of {@link fromKey}: from the camera's guess, by what is left over. */
  private toKey(from: number, key: number, points: Float32Array | Float64Array, surface: number): void {
    if (from === key) return;
    const wanted = points.slice();
    this.camera.map(from, key, points);
    for (let round = 0; round < BACK_ROUNDS; round++) {
      const there = points.slice();
      this.fromKey(key, from, there, surface);
      for (let i = 0; i < points.length; i++) points[i] += wanted[i] - there[i];
    }
  }

  /**
   * Measures what surrounds the holes of a stretch of frames, in the middle one of them.
   * @returns The number of surfaces found.
   */
  refineStretch(work: readonly { region: TiledRegion; sources: readonly number[] }[]): number {
    const key = work[work.length >> 1].region.frame;
    const regions = work.map((w) => w.region);
    const together = unitedRegion(regions, key, this.camera);
    const needed = new Set(work.flatMap(({ region, sources }) => [region.frame, ...sources]));
    const found = this.refine(
      together,
      [...needed].sort((a, b) => a - b),
    );
    if (found === 0) return 0;
    for (const region of regions) {
      if (region.frame !== key && !this.depths.get(key)!.epipoles.has(region.frame)) continue;
      this.keyed.set(region.frame, { key, tiles: this.tilesOf(region, together) });
    }
    return found;
  }

  /** Which surface lies behind each tile of a region: the one that leads to a tile of the key on which that surface lies. */
  private tilesOf(region: TiledRegion, together: TiledRegion): Uint8Array {
    const { tiles, surfaces } = this.depths.get(together.frame)!;
    const side = region.rect.width / region.cols;
    const centres = Float64Array.from({ length: region.active.length * 2 }, (_, i) =>
      i % 2 === 0
        ? region.rect.x + (((i >> 1) % region.cols) + 0.5) * side
        : region.rect.y + (Math.floor((i >> 1) / region.cols) + 0.5) * side,
    );
    const at = (places: Float64Array, i: number): number => {
      const c = Math.floor((places[2 * i] - together.rect.x) / side);
      const r = Math.floor((places[2 * i + 1] - together.rect.y) / side);
      return c < 0 || r < 0 || c >= together.cols || r >= together.rows ? CAMERA_PLANE : tiles[r * together.cols + c];
    };
    const out = new Uint8Array(region.active.length);
    const plain = centres.slice();
    this.camera.map(region.frame, together.frame, plain);
    for (let i = 0; i < out.length; i++) out[i] = at(plain, i);
    surfaces.forEach((_, k) => {
      const places = centres.slice();
      this.toKey(region.frame, together.frame, places, k + 1);
      for (let i = 0; i < out.length; i++) if (at(places, i) === k + 1) out[i] = k + 1;
    });
    return out;
  }

  /** Measures what surrounds the holes of a region against each source. @returns The number of surfaces found. */
  refine(region: TiledRegion, sources: readonly number[]): number {
    if (this.camera.data.tripod) return 0;
    const { frame } = region;
    const parts = holeParts(region.active, region.cols, region.rows);
    const arounds = parts.map((part) => this.aroundOf(region, part));
    const corners = this.cornersOf(frame, arounds);
    const { measured, rest } = divided(frame, sources);
    const views = this.follow(frame, measured, corners);
    const parallax = views && findParallax(views, this.unitPx);
    if (!parallax) return 0;
    const found: FrameDepth = { tiles: new Uint8Array(region.cols * region.rows), surfaces: [], epipoles: new Map() };
    parallax.epipoles.forEach((e, k) => e && found.epipoles.set(measured[k], e));
    const asked = tellingCorners(parallax.depths, ASKED);
    for (const s of rest) {
      const e = epipoleOf(this.view(frame, s, corners, asked), parallax.depths, this.unitPx);
      if (e) found.epipoles.set(s, e);
    }
    parts.forEach((part, k) => this.refinePart(region, part, arounds[k], { corners, parallax }, found));
    if (found.surfaces.length > 0) {
      this.depths.set(frame, found);
      this.keyed.set(frame, { key: frame, tiles: found.tiles });
    }
    return found.surfaces.length;
  }

  private aroundOf(region: TiledRegion, { box }: HolePart): Around {
    const side = region.rect.width / region.cols;
    const hole = {
      x: region.rect.x + box.x * side,
      y: region.rect.y + box.y * side,
      width: box.width * side,
      height: box.height * side,
    };
    return {
      hole,
      cx: hole.x + hole.width / 2,
      cy: hole.y + hole.height / 2,
      scale: Math.max(hole.width, hole.height) / 2 + SURROUNDINGS * this.pyramids.scale,
    };
  }

  /** Corners all over the frame, which tell where the camera went, and many around each part of the hole. */
  private cornersOf(frame: number, arounds: readonly Around[]): Float64Array {
    const everywhere = this.follower.spread(frame, FEW_CORNERS_ACROSS);
    const near = arounds.map(({ hole }) =>
      this.follower.corners(frame, grow(hole, SURROUNDINGS * this.pyramids.scale)),
    );
    return Float64Array.from([everywhere, ...near].flatMap((c) => [...c]));
  }

  private refinePart(
    region: TiledRegion,
    part: HolePart,
    around: Around,
    seen: { corners: Float64Array; parallax: Parallax },
    found: FrameDepth,
  ): void {
    const { corners, parallax } = seen;
    const k = this.pyramids.scale;
    const near = weights(around.hole, corners, NEAR * k);
    const inside = [...near.keys()].filter((i) => isAround(around, corners[2 * i], corners[2 * i + 1]));
    const places = Float64Array.from(
      inside.flatMap((i) => [local(around, 0, corners[2 * i]), local(around, 1, corners[2 * i + 1])]),
    );
    const depths = Float64Array.from(inside, (i) => parallax.depths[i]);
    const counts = Float64Array.from(inside, (i) => near[i]);
    // A depth that moves a point by one analysis px in the source that shows most of it.
    const unit = this.unitPx / this.longest(around, parallax);
    const surfaces = surfacesOf(places, depths, counts, SAME_SURFACE * unit);
    if (surfaces.every((s) => Math.abs(depthAt(s, 0, 0)) < LEAST_PARALLAX * unit)) return;
    this.place(
      region,
      part,
      surfaces.map((surface) => ({ around, surface })),
      found,
      unit,
    );
  }

  /** How far, in unit space, a depth of 1 moves at most at a part of a hole. */
  private longest({ cx, cy }: Around, { epipoles }: Parallax): number {
    const { space } = this;
    const [x, y] = [(cx - space.cx) / space.half, (cy - space.cy) / space.half];
    return Math.max(1e-9, ...epipoles.map((e) => (e ? Math.hypot(e[0] - e[2] * x, e[1] - e[2] * y) : 0)));
  }

  /** What every source shows, or undefined if the farthest ones show no parallax: it grows with the distance. */
  private follow(frame: number, sources: readonly number[], corners: Float64Array): View[] | undefined {
    const out: View[] = [];
    const all = [...Array(corners.length / 2).keys()];
    for (const [i, s] of sources.entries()) {
      if (i === PROBES && out.every((view) => !sampleEpipole(view, this.unitPx))) return undefined;
      out.push(this.view(frame, s, corners, all));
    }
    return out;
  }

  private view(frame: number, source: number, corners: Float64Array, asked: readonly number[]): View {
    const { space } = this;
    const guess = corners.slice();
    this.camera.map(frame, source, guess);
    return {
      guess: toUnitSpace(space, guess),
      scale: this.scales(frame, source, corners),
      moved: this.follower.moved(frame, source, corners, asked).map((v) => v / space.half),
    };
  }

  /** Third homogeneous coordinate of the camera's plane at places of a frame, 1 at its centre. */
  private scales(frame: number, source: number, places: ArrayLike<number>): Float64Array {
    const m = this.camera.plane(frame, source);
    const at = (x: number, y: number): number => m[6] * x + m[7] * y + m[8];
    const centre = at(this.space.cx, this.space.cy);
    return Float64Array.from({ length: places.length / 2 }, (_, i) => at(places[2 * i], places[2 * i + 1]) / centre);
  }

  private mapOn(
    { around, surface }: PlacedSurface,
    e: Epipole,
    from: number,
    to: number,
    points: Float32Array | Float64Array,
  ): void {
    const { half, cx, cy } = this.space;
    const depths = Float64Array.from({ length: points.length / 2 }, (_, i) =>
      depthAt(surface, local(around, 0, points[2 * i]), local(around, 1, points[2 * i + 1])),
    );
    const scales = this.scales(from, to, points);
    this.camera.map(from, to, points);
    for (let i = 0; i < depths.length; i++) {
      const [x, y] = [(points[2 * i] - cx) / half, (points[2 * i + 1] - cy) / half];
      const [dx, dy] = parallaxOf(e, x, y, scales[i], depths[i]);
      points[2 * i] += dx * half;
      points[2 * i + 1] += dy * half;
    }
  }

  /** Gives each tile of a part one of its surfaces, and brings these to where their tiles agree best. */
  private place(
    region: TiledRegion,
    part: HolePart,
    surfaces: readonly PlacedSurface[],
    found: FrameDepth,
    unit: number,
  ): void {
    const first = found.surfaces.length + 1;
    const side = region.rect.width / region.cols;
    const tiles = part.tiles.map((tile) => ({
      tile,
      x: region.rect.x + (tile % region.cols) * side,
      y: region.rect.y + Math.floor(tile / region.cols) * side,
    }));
    const seen: Witnesses = {
      kernels: this.kernels,
      pyramids: this.pyramids,
      blocked: this.blocked,
      frame: region.frame,
      sources: [...found.epipoles.keys()].sort((a, b) => a - b),
      tileSide: side,
      unit: this.unit,
    };
    const placeOn =
      (surface: PlacedSurface): PlaceIn =>
      (source, points) => {
        const e = found.epipoles.get(source);
        if (e) this.mapOn(surface, e, region.frame, source, points);
        return e !== undefined;
      };
    const chosen =
      surfaces.length === 1
        ? new Uint8Array(tiles.length)
        : chooseSurfaces(seen, surfaces.map(placeOn), tiles, region.cols, region.rows);
    tiles.forEach(({ tile }, i) => (found.tiles[tile] = first + chosen[i]));
    surfaces.forEach(({ around, surface }, k) => {
      const own = tiles.filter((_, i) => chosen[i] === k);
      const off = (s: Surface): Float64Array => disagreement(seen, placeOn({ around, surface: s }), own);
      found.surfaces.push({ around, surface: own.length > 0 ? sweepSurface(off, surface, unit) : surface });
    });
  }
}

/** The sources that depths are measured with, the farthest ones first, and those whose epipoles follow from the depths. */
function divided(frame: number, sources: readonly number[]): { measured: number[]; rest: number[] } {
  const away = (s: number): number => Math.abs(s - frame);
  const others = sources.filter((s) => s !== frame).sort((a, b) => away(b) - away(a) || a - b);
  return { measured: others.slice(0, MEASURED), rest: others.slice(MEASURED) };
}

/** Corners that tell most about a source: those far off the plane, and as many spread over the rest. */
function tellingCorners(depths: Float64Array, most: number): number[] {
  const known = [...depths.keys()].filter((i) => !Number.isNaN(depths[i]));
  const deep = known.sort((a, b) => Math.abs(depths[b]) - Math.abs(depths[a])).slice(0, most >> 1);
  const others = known.slice(deep.length);
  const step = Math.max(1, others.length / (most >> 1));
  for (let i = 0; i < others.length; i += step) deep.push(others[Math.floor(i)]);
  return deep;
}

/** Local coordinate of a place: u of its x (axis 0), v of its y (axis 1); depths are not carried on far outside. */
function local(around: Around, axis: 0 | 1, place: number): number {
  const v = (place - (axis === 0 ? around.cx : around.cy)) / around.scale;
  return Math.max(-OUTERMOST, Math.min(OUTERMOST, v));
}

function isAround({ cx, cy, scale }: Around, x: number, y: number): boolean {
  return Math.abs(x - cx) <= scale && Math.abs(y - cy) <= scale;
}

const toUnitSpace = ({ cx, cy, half }: UnitSpace, places: Float64Array): Float64Array =>
  places.map((v, i) => (v - (i % 2 === 0 ? cx : cy)) / half);

function weights(hole: Rect, corners: Float64Array, half: number): Float64Array {
  return Float64Array.from({ length: corners.length / 2 }, (_, i) => {
    const [x, y] = [corners[2 * i], corners[2 * i + 1]];
    const dx = Math.max(hole.x - x, 0, x - hole.x - hole.width);
    const dy = Math.max(hole.y - y, 0, y - hole.y - hole.height);
    return 1 / (1 + (Math.hypot(dx, dy) / half) ** 2);
  });
}
