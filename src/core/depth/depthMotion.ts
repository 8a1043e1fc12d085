import { mostOften } from '../geometry/mostOften.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import { depthOf, isKnownIn, type StretchDepth } from './depthPlaces.ts';
import { CAMERA_PLANE, type FrameMap } from './frameMap.ts';
import { blend, centresOf, framesOf, fromKey, reaches, tilesOf, toKey, type OnSurface } from './onSurface.ts';
import type { TiledRegion } from './tiledRegion.ts';

/** Two stretches mean the same surface if they put its tiles no farther apart than this in any frame, frame px. */
const SAME_PLACE = 3;

/** What one stretch says about a surface of a frame, and how much that counts. */
interface Part extends OnSurface {
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
    const first = tilesOf(this.camera, region, one);
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
    const [a, b] = [tilesOf(this.camera, region, near), tilesOf(this.camera, region, far)];
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
      toKey(this.camera, part, frame, place);
      return depthOf(depth.surfaces[part.surface - 1], place[0], place[1]);
    };
    return depth.nearer * (depthOn(a) - depthOn(b)) > 0;
  }

  map(from: number, to: number, points: Float32Array | Float64Array, surface: number): void {
    if (from === to) return;
    const known = this.partsOf(from, surface).filter((part) => reaches(part, to));
    if (known.length === 0) return this.camera.map(from, to, points);
    blend(
      points,
      known.map((part) => ({ weight: part.weight, places: this.through(part, from, to, points) })),
    );
  }

  /** What the stretches around a frame say of one of its surfaces; nothing of the camera's plane. */
  partsOf(frame: number, surface: number): readonly Part[] {
    return surface === CAMERA_PLANE ? [] : (this.laid.get(frame)?.surfaces[surface - 1] ?? []);
  }

  /** Places of a frame in another one, as one stretch says. */
  private through<T extends Float32Array | Float64Array>(part: Part, from: number, to: number, points: T): T {
    const places = points.slice() as T;
    if (part.surface === CAMERA_PLANE) {
      this.camera.map(from, to, places);
    } else {
      toKey(this.camera, part, from, places);
      fromKey(this.camera, part, to, places);
    }
    return places;
  }
}

/** Whether it moves as no rigid world does: it has no depth then. */
const isFree = (part: Part | undefined): boolean =>
  part !== undefined && part.surface !== CAMERA_PLANE && part.depth.surfaces[part.surface - 1].motion !== undefined;
