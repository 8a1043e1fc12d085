import { mostOften } from '../geometry/mostOften.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import { depthOf, isKnownIn, mapOnSurface, type StretchDepth } from './depthPlaces.ts';
import { CAMERA_PLANE, type FrameMap } from './frameMap.ts';
import type { TiledRegion } from './tiledRegion.ts';

/** Rounds in which a place is carried back to the key: parallax changes slowly with it. */
const BACK_ROUNDS = 3;
/** Two stretches mean the same surface if they put its tiles no farther apart than this in any frame, frame px. */
const SAME_PLACE = 3;

/** What one stretch says about a surface of a frame, and how much that counts. */
interface Part {
  depth: StretchDepth;
  surface: number;
  weight: number;
}

/** Behind each tile of a frame's region a surface, numbered from 1; each is a mean of what the stretches around it say. */
interface Laid {
  tiles: Uint8Array;
  surfaces: Part[][];
}

/**
 * The camera's motion, and what stretches of frames show nearer or farther than its plane. A frame between the keys of two
 * stretches is mapped by both, the nearer one counting more, so that nothing jumps where one stretch ends and the next begins.
 */
export class DepthMotion implements FrameMap {
  private readonly laid = new Map<number, Laid>();

  /** @param depths - By the time of their keys. */
  constructor(
    private readonly camera: CameraMotion,
    private readonly depths: readonly StretchDepth[] = [],
  ) {}

  /** Finds out which surfaces lie behind a region of a frame. */
  lay(region: TiledRegion): void {
    const { frame } = region;
    const known = this.depths.filter((d) => d.surfaces.some((placed) => isKnownIn(d, placed, frame)));
    const before = known.findLast((d) => d.frame <= frame);
    const after = known.find((d) => d.frame > frame);
    const one = before ?? after;
    if (!one) return;
    const first = this.tilesOf(region, one);
    if (!before || !after || before.frame === frame) return this.layOne(region, one, first);
    const share = (frame - before.frame) / (after.frame - before.frame);
    const [near, far] = share < 0.5 ? [before, after] : [after, before];
    this.layTwo(region, near, far, Math.min(share, 1 - share));
  }

  private layOne({ frame }: TiledRegion, depth: StretchDepth, tiles: Uint8Array): void {
    this.laid.set(frame, { tiles, surfaces: depth.surfaces.map((_, k) => [{ depth, surface: k + 1, weight: 1 }]) });
  }

  /** The nearer stretch says which tiles lie on one surface; what the other one says there of most of them is blended in. */
  private layTwo(region: TiledRegion, near: StretchDepth, far: StretchDepth, share: number): void {
    const [a, b] = [this.tilesOf(region, near), this.tilesOf(region, far)];
    const tiles = new Uint8Array(region.active.length);
    const surfaces: Part[][] = [];
    for (const surface of new Set(a.filter((_, i) => region.active[i] > 0))) {
      const members = [...a.keys()].filter((i) => region.active[i] > 0 && a[i] === surface);
      const mate = mostOften(members.map((i) => b[i]));
      if (surface === CAMERA_PLANE && mate === CAMERA_PLANE) continue;
      const parts = [
        { depth: near, surface, weight: 1 - share },
        { depth: far, surface: mate, weight: share },
      ];
      const both = members.filter((i) => b[i] === mate);
      surfaces.push(this.isSame(region, both, parts) ? parts : parts.slice(0, 1));
      for (const i of members) tiles[i] = surfaces.length;
    }
    this.laid.set(region.frame, { tiles, surfaces });
  }

  /** Whether two stretches put tiles in the same places of the frame, known to both, that shows most of their depth. */
  private isSame(region: TiledRegion, members: readonly number[], [a, b]: Part[]): boolean {
    const { frame } = region;
    const away = (s: number): number => Math.abs(s - frame);
    const both = framesOf(a)
      .filter((s) => reaches(b, s))
      .sort((s, t) => away(s) - away(t));
    const farthest = both.at(-1);
    if (farthest === undefined) return false;
    const centres = centresOf(region, members);
    const [p, q] = [a, b].map((part) => this.through(part, frame, farthest, centres));
    const apart = members.reduce((sum, _, i) => sum + Math.hypot(p[2 * i] - q[2 * i], p[2 * i + 1] - q[2 * i + 1]), 0);
    return apart <= SAME_PLACE * members.length;
  }

  surfaces(frame: number): Uint8Array | undefined {
    return this.laid.get(frame)?.tiles;
  }

  knows(from: number, to: number, surface: number): boolean {
    if (surface === CAMERA_PLANE || from === to) return true;
    return this.laid.get(from)!.surfaces[surface - 1].some((part) => reaches(part, to));
  }

  isNearer(frame: number, one: number, other: number, x: number, y: number): boolean | undefined {
    const laid = this.laid.get(frame);
    const [a, b] = [one, other].map((surface) => laid?.surfaces[surface - 1]?.[0]);
    // The camera's plane has the depth 0 in every stretch.
    const depth = (a ?? b)?.depth;
    if (!depth?.nearer || [a, b].some(isFree)) return undefined;
    const depthOn = (part: Part | undefined): number => {
      if (!part || part.surface === CAMERA_PLANE) return 0;
      const place = Float64Array.of(x, y);
      this.toKey(part, frame, place);
      return depthOf(depth.surfaces[part.surface - 1], place[0], place[1]);
    };
    return depth.nearer * (depthOn(a) - depthOn(b)) > 0;
  }

  map(from: number, to: number, points: Float32Array | Float64Array, surface: number): void {
    if (from === to) return;
    const parts = surface === CAMERA_PLANE ? [] : (this.laid.get(from)?.surfaces[surface - 1] ?? []);
    const known = parts.filter((part) => reaches(part, to));
    if (known.length === 0) return this.camera.map(from, to, points);
    const all = known.map((part) => this.through(part, from, to, points));
    const total = known.reduce((sum, { weight }) => sum + weight, 0);
    for (let i = 0; i < points.length; i++) {
      points[i] = all.reduce((sum, places, k) => sum + known[k].weight * places[i], 0) / total;
    }
  }

  /** Places of a frame in another one, as one stretch says. */
  private through<T extends Float32Array | Float64Array>(part: Part, from: number, to: number, points: T): T {
    const places = points.slice() as T;
    if (part.surface === CAMERA_PLANE) {
      this.camera.map(from, to, places);
    } else {
      this.toKey(part, from, places);
      this.fromKey(part, to, places);
    }
    return places;
  }

  /** From the key of a stretch to a frame in which its depths are known; elsewhere as the camera moves. */
  private fromKey({ depth, surface }: Omit<Part, 'weight'>, to: number, points: Float32Array | Float64Array): void {
    if (depth.frame === to) return;
    if (surface === CAMERA_PLANE) return this.camera.map(depth.frame, to, points);
    mapOnSurface(this.camera, depth, depth.surfaces[surface - 1], to, points);
  }

  /** The way back of {@link fromKey}: from the camera's guess, by what is left over. */
  private toKey(part: Omit<Part, 'weight'>, from: number, points: Float32Array | Float64Array): void {
    const key = part.depth.frame;
    if (from === key) return;
    const wanted = points.slice();
    this.camera.map(from, key, points);
    if (part.surface === CAMERA_PLANE) return;
    for (let round = 0; round < BACK_ROUNDS; round++) {
      const there = points.slice();
      this.fromKey(part, from, there);
      for (let i = 0; i < points.length; i++) points[i] += wanted[i] - there[i];
    }
  }

  /** Which surface lies behind each tile of a region: the one that leads to a tile of the key on which that surface lies. */
  private tilesOf(region: TiledRegion, depth: StretchDepth): Uint8Array {
    const side = region.rect.width / region.cols;
    const used = [...region.active.keys()].filter((i) => region.active[i] > 0);
    const centres = centresOf(region, used);
    const at = (places: Float64Array, i: number): number => {
      const c = Math.floor((places[2 * i] - depth.rect.x) / side);
      const r = Math.floor((places[2 * i + 1] - depth.rect.y) / side);
      const outside = c < 0 || r < 0 || c >= depth.cols || r >= depth.rows;
      return outside ? CAMERA_PLANE : depth.tiles[r * depth.cols + c];
    };
    const out = new Uint8Array(region.active.length);
    for (const surface of [CAMERA_PLANE, ...depth.surfaces.map((_, k) => k + 1)]) {
      const places = centres.slice();
      this.toKey({ depth, surface }, region.frame, places);
      used.forEach((tile, i) => {
        const there = at(places, i);
        if (surface === CAMERA_PLANE || there === surface) out[tile] = there;
      });
    }
    return out;
  }
}

/** Whether it moves as no rigid world does: it has no depth then. */
const isFree = (part: Part | undefined): boolean =>
  part !== undefined && part.surface !== CAMERA_PLANE && part.depth.surfaces[part.surface - 1].motion !== undefined;

/** Whether a stretch knows where a frame shows a surface; of the camera's plane it knows it wherever it knows depths. */
const reaches = ({ depth, surface }: Part, frame: number): boolean =>
  surface === CAMERA_PLANE
    ? depth.frame === frame || depth.epipoles.has(frame)
    : isKnownIn(depth, depth.surfaces[surface - 1], frame);

/** The frames other than the key in which a stretch knows a surface. */
const framesOf = ({ depth, surface }: Part): number[] => [
  ...((surface === CAMERA_PLANE ? undefined : depth.surfaces[surface - 1].motion) ?? depth.epipoles).keys(),
];

/** Centres of tiles of a region, interleaved x, y, frame px. */
function centresOf({ rect, cols }: TiledRegion, tiles: readonly number[]): Float64Array {
  const side = rect.width / cols;
  return Float64Array.from(
    tiles.flatMap((i) => [rect.x + ((i % cols) + 0.5) * side, rect.y + (Math.floor(i / cols) + 0.5) * side]),
  );
}
