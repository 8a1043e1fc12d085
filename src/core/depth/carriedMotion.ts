import { mostOften } from '../geometry/mostOften.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import { DepthMotion } from './depthMotion.ts';
import type { StretchDepth } from './depthPlaces.ts';
import { CAMERA_PLANE } from './frameMap.ts';
import { blend, centresOf, fromKey, reaches, surfacesAt, toKey, type OnSurface } from './onSurface.ts';
import type { TiledRegion } from './tiledRegion.ts';

type Places = Float32Array | Float64Array;

/** From the key of one stretch to that of the next: on a surface of each, by a frame that both know. */
interface Leg {
  from: OnSurface;
  by: number;
  to: OnSurface;
}

/**
 * Where the background of one frame lies in any other one, however far away: places go from the key of a stretch to that of the
 * next. Frames that follow one another share all but the first step, so nothing jumps; each step is short, so depths need not be
 * exact. What is carried so may be hidden all the time.
 */
export class CarriedMotion {
  private readonly near: DepthMotion;
  private readonly regions = new Map<number, TiledRegion>();

  /** @param depths - By the time of their keys. */
  constructor(
    private readonly camera: CameraMotion,
    private readonly depths: readonly StretchDepth[] = [],
  ) {
    this.near = new DepthMotion(camera, depths);
  }

  /** Finds out which surfaces lie behind a region of a frame; a later one of the same frame takes its place. */
  lay(region: TiledRegion): void {
    if (this.depths.length === 0) return;
    this.near.lay(region);
    this.regions.set(region.frame, region);
  }

  /** As {@link DepthMotion.surfaces}. */
  surfaces(frame: number): Uint8Array | undefined {
    return this.near.surfaces(frame);
  }

  /** Whether anything is carried from one frame to another. */
  knows(from: number, to: number): boolean {
    return this.camera.sameScene(from, to);
  }

  /** @param points - Places in `from`, interleaved x, y in frame px; overwritten with those in `to`. */
  map(from: number, to: number, points: Places, surface: number): void {
    const parts = this.near.partsOf(from, surface);
    if (from === to) return;
    if (parts.length === 0) return this.camera.map(from, to, points);
    const along = (part: OnSurface): Places => this.along(part, from, to, points, surface);
    blend(
      points,
      parts.map((part) => ({ weight: part.weight, places: along(part) })),
    );
  }

  private along(first: OnSurface, from: number, to: number, points: Places, surface: number): Places {
    const legs = this.legsOf(first, from, to, surface);
    const out = points.slice();
    toKey(this.camera, first, from, out);
    for (const leg of legs) this.walk(leg, out);
    fromKey(this.camera, legs.at(-1)?.to ?? first, to, out);
    return out;
  }

  private walk({ from, by, to }: Leg, points: Places): void {
    fromKey(this.camera, from, by, points);
    toKey(this.camera, to, by, points);
  }

  /** The surfaces on which what lies on one of a frame's goes on: in each stretch that on which most of its tiles are. */
  private legsOf(first: OnSurface, frame: number, to: number, surface: number): Leg[] {
    const region = this.regions.get(frame)!;
    const tiles = this.near.surfaces(frame)!;
    const side = region.rect.width / region.cols;
    const members = [...tiles.keys()].filter((i) => region.active[i] > 0 && tiles[i] === surface);
    const places = centresOf(region, members);
    toKey(this.camera, first, frame, places);
    const out: Leg[] = [];
    let at = first;
    for (const next of this.stretchesTo(first.depth, to)) {
      const by = this.sharedBy(at, next);
      if (by === undefined) continue;
      const there = places.slice();
      fromKey(this.camera, at, by, there);
      const mate = { depth: next, surface: mostOften([...surfacesAt(this.camera, next, by, there, side)]) };
      const leg = { from: at, by, to: mate };
      this.walk(leg, places);
      out.push(leg);
      at = mate;
    }
    return out;
  }

  /** Those between a stretch and a frame, on the way there. */
  private stretchesTo({ frame: key }: StretchDepth, to: number): StretchDepth[] {
    if (to > key) return this.depths.filter((d) => d.frame > key && d.frame <= to);
    return this.depths.filter((d) => d.frame < key && d.frame >= to).reverse();
  }

  /** The frame between two keys, or one of them, that both stretches know: the one nearest to their middle. */
  private sharedBy(at: OnSurface, next: StretchDepth): number | undefined {
    const [first, last] = [at.depth.frame, next.frame].sort((a, b) => a - b);
    const off = (t: number): number => Math.abs(2 * t - first - last);
    return Array.from({ length: last - first + 1 }, (_, k) => first + k)
      .filter((t) => reaches(at, t) && reaches({ depth: next, surface: CAMERA_PLANE }, t))
      .sort((a, b) => off(a) - off(b))
      .at(0);
  }
}
