import type { Kernels } from '../../kernels/index.ts';
import { moveByDepth, viewFrom } from '../depth/depthPlaces.ts';
import type { Epipole, View } from '../depth/epipole.ts';
import { CornerFollower } from '../depth/followCorners.ts';
import { findParallax, moreDepths } from '../depth/parallax.ts';
import { evenly } from '../evenly.ts';
import { norm2 } from '../geometry/linear.ts';
import { grow, type FrameReader } from '../image/format.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import { CORNERS_ACROSS } from '../motion/links.ts';
import type { Pyramids } from '../motion/pyramids.ts';
import { unitSpace } from '../motion/space.ts';
import { readCut } from '../outline/pictureCut.ts';
import { DepthSweep, type SeenColours } from './depthSweep.ts';
import { at, grown, type MaskPatch } from './maskPatch.ts';

/** Frames before and after in which it is looked where something went. */
const OFFSETS = [3, 7, 12, 18, 26, 35];
/** Corners nearer to what moves than this may be a part of it, px. */
const BESIDE = 12;
/** A corner lies off the camera's plane if some frame shows it so far from there, px. */
const OFF_PLANE = 1;
/** So many corners must lie off it elsewhere: else the camera hardly travels, or all lies on one plane. */
const LEAST_OFF = 40;
/** Depths are tried that lie this far around something, px, and so many of them. */
const AROUND = 60;
const DEPTHS = 16;
/** Corners that tell how the camera travels. */
const TELLING = 120;
/** Frames in which a corner must be found. */
const LEAST_VIEWS = 3;

/** What a rigid world before a travelling camera says of something, on one frame. */
export interface Explained {
  /** How unlike it is in other frames at the likeliest depths, against how unlike it is on the camera's plane. */
  unlikeness: number;
  /** Its corners that were found in other frames, and those of them that go as points of some depth do. */
  corners: number;
  deep: number;
}

/** Corners of a frame, interleaved x, y, and by how much other frames show them off the camera's plane, px. */
interface Followed {
  places: Float64Array;
  moved: ReadonlyMap<number, Float64Array>;
}

/** How the camera travels, in the sources in which that is seen, and the depths of corners beside what moves. */
interface Travel {
  epipoles: ReadonlyMap<number, Epipole>;
  places: Float64Array;
  depths: Float64Array;
}

/**
 * Tells what moves by itself from what stands off the camera's plane, and only seems to move because the camera travels: such goes along
 * epipolar lines (plane and parallax, see {@link findParallax}), and is found in other frames at a depth that is seen elsewhere, too.
 */
export class RigidWorld {
  private readonly follower: CornerFollower;
  /** One px in unit space. */
  private readonly px: number;

  /** @param frames - The small frames. @param motion - Of the camera, in their px. */
  constructor(
    kernels: Kernels,
    private readonly frames: FrameReader,
    private readonly motion: CameraMotion,
    pyramids: Pyramids,
  ) {
    this.follower = new CornerFollower(kernels, motion, pyramids, () => false);
    this.px = 1 / unitSpace(frames.format.width, frames.format.height).half;
  }

  /**
   * What is said of each of some masks of a frame; undefined where nothing is: before a camera that hardly travels, and where nothing but
   * they lies off its plane.
   */
  explain(frame: number, masks: readonly MaskPatch[]): (Explained | undefined)[] {
    const sources = OFFSETS.flatMap((d) => [frame - d, frame + d]).filter((s) => this.isSource(frame, s));
    const followed = this.follow(frame, sources, masks);
    const travel = this.travelOf(frame, followed, masks);
    if (!travel) return masks.map(() => undefined);
    const sweep = this.sweepOf(frame, travel);
    return masks.map((mask) => {
      const unlikeness = sweep.unlikeness(mask, depthsAround(mask, travel));
      return unlikeness === undefined ? undefined : { unlikeness, ...this.cornersIn(mask, frame, followed, travel) };
    });
  }

  private isSource(frame: number, source: number): boolean {
    return source >= 0 && source < this.frames.count && this.motion.sameScene(frame, source);
  }

  private follow(frame: number, sources: readonly number[], masks: readonly MaskPatch[]): Followed {
    const { width, height } = this.frames.format;
    const areas = [{ x: 0, y: 0, width, height }, ...masks];
    const near = areas.flatMap((area) => Object.values(this.follower.corners(frame, area)) as Float64Array[]);
    const places = withoutDoubles([this.follower.spread(frame, CORNERS_ACROSS), ...near]);
    return { places, moved: this.follower.movedOutwards(frame, sources, places) };
  }

  /** What tells how the camera travels lies beside all that moves. */
  private travelOf(frame: number, followed: Followed, masks: readonly MaskPatch[]): Travel | undefined {
    const wide = masks.map((mask) => grown(mask, BESIDE));
    const beside = someOf(followed, (x, y) => !wide.some((mask) => at(mask, x, y)));
    if (countOff(beside) < LEAST_OFF) return undefined;
    const sources = [...beside.moved.keys()];
    const found = findParallax(this.viewsOf(frame, sources, evenlyOf(beside, TELLING)), this.px);
    if (!found) return undefined;
    const depths = moreDepths(this.viewsOf(frame, sources, beside), found.epipoles, this.px);
    const epipoles = new Map(sources.flatMap((s, k): [number, Epipole][] => asPair(s, found.epipoles[k])));
    const farthest = Math.max(...[...epipoles.values()].map((e) => norm2(e[0], e[1])));
    const off = depths.filter((depth) => Math.abs(depth) * farthest > OFF_PLANE * this.px).length;
    return off < LEAST_OFF ? undefined : { epipoles, places: beside.places, depths };
  }

  private viewsOf(frame: number, sources: Iterable<number>, { places, moved }: Followed): View[] {
    return [...sources].map((s) => viewFrom(this.motion, frame, s, places, moved.get(s)!));
  }

  private cornersIn(
    mask: MaskPatch,
    frame: number,
    followed: Followed,
    { epipoles }: Travel,
  ): Pick<Explained, 'corners' | 'deep'> {
    const own = someOf(followed, (x, y) => at(mask, x, y) === 1);
    const views = this.viewsOf(frame, epipoles.keys(), own);
    const isSeen = (i: number): boolean => views.filter((v) => !Number.isNaN(v.moved[2 * i])).length >= LEAST_VIEWS;
    const depths = moreDepths(views, [...epipoles.values()], this.px).filter((_, i) => isSeen(i));
    return { corners: depths.length, deep: depths.filter((depth) => !Number.isNaN(depth)).length };
  }

  private sweepOf(frame: number, { epipoles }: Travel): DepthSweep {
    const sources = [...epipoles].map(([source, e]) => ({
      ...this.coloursOf(source),
      place: (places: Float64Array, depth?: number): Float64Array => {
        const to = places.slice();
        this.motion.map(frame, source, to);
        if (depth !== undefined) moveByDepth(this.motion, frame, source, e, places, to, () => depth);
        return to;
      },
    }));
    return new DepthSweep(this.coloursOf(frame), sources);
  }

  private coloursOf(frame: number): SeenColours {
    const { width, height } = this.frames.format;
    return { width, height, colours: readCut(this.frames, frame, { x: 0, y: 0, width, height }, 1).colours };
  }
}

const asPair = <T>(key: number, value: T | undefined): [number, T][] => (value === undefined ? [] : [[key, value]]);

/** Places, interleaved x, y; of those on one px the first. */
function withoutDoubles(parts: readonly Float64Array[]): Float64Array {
  const places = new Map<string, [number, number]>();
  for (const part of parts) {
    for (let i = 0; i < part.length; i += 2) {
      const key = `${Math.round(part[i])} ${Math.round(part[i + 1])}`;
      if (!places.has(key)) places.set(key, [part[i], part[i + 1]]);
    }
  }
  return Float64Array.from([...places.values()].flat());
}

/** Some corners, by their numbers. */
function chosen({ places, moved }: Followed, isWanted: (i: number) => boolean): Followed {
  const some = (of: Float64Array): Float64Array => of.filter((_, k) => isWanted(k >> 1));
  return { places: some(places), moved: new Map([...moved].map(([s, m]) => [s, some(m)])) };
}

/** The corners on some px. */
function someOf(followed: Followed, isWanted: (x: number, y: number) => boolean): Followed {
  const { places } = followed;
  const wanted = Uint8Array.from({ length: places.length / 2 }, (_, i) =>
    Number(isWanted(Math.round(places[2 * i]), Math.round(places[2 * i + 1]))),
  );
  return chosen(followed, (i) => wanted[i] === 1);
}

/** At most so many of the corners, evenly. */
function evenlyOf(followed: Followed, most: number): Followed {
  const wanted = new Uint8Array(followed.places.length / 2);
  for (const i of evenly([...wanted.keys()], most)) wanted[i] = 1;
  return chosen(followed, (i) => wanted[i] === 1);
}

/** The corners that are seen off the camera's plane in any frame. */
function countOff({ places, moved }: Followed): number {
  const all = [...moved.values()];
  let count = 0;
  for (let i = 0; i < places.length; i += 2) {
    if (all.some((m) => norm2(m[i], m[i + 1]) > OFF_PLANE)) count++;
  }
  return count;
}

/** Depths of corners around something, evenly. */
function depthsAround(mask: MaskPatch, { places, depths }: Travel): number[] {
  const { x, y, width, height } = grow(mask, AROUND);
  const near = depths.filter((depth, i) => {
    const [u, v] = [places[2 * i] - x, places[2 * i + 1] - y];
    return !Number.isNaN(depth) && u >= 0 && v >= 0 && u < width && v < height;
  });
  return evenly([...near.sort()], DEPTHS);
}
