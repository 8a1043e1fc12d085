import { norm2 } from '../geometry/linear.ts';
import type { Kernels } from '../../kernels/index.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import type { BlockedCells } from '../image/blockedCells.ts';
import { FEW_CORNERS_ACROSS } from '../motion/links.ts';
import type { Pyramids } from '../motion/pyramids.ts';
import { unitSpace, type UnitSpace } from '../motion/space.ts';
import type { PlaceIn, Witnesses } from './tileWindows.ts';
import { facingSlope } from './facing.ts';
import { findFree } from './findFree.ts';
import { CornerFollower, type FollowedCorners } from './followCorners.ts';
import {
  depthOf,
  moveByDepth,
  toUnitSpace,
  TriedSurfaces,
  viewFrom,
  type Around,
  type PlacedSurface,
  type StretchDepth,
} from './depthPlaces.ts';
import { signOfNearer } from './nearer.ts';
import { Guide, type Guided } from './guided.ts';
import { holeParts } from './holeParts.ts';
import { unitedRegion, type TiledRegion } from './tiledRegion.ts';
import { centresOfMovement } from './centres.ts';
import type { Epipole, View } from './epipole.ts';
import { passersBy } from './passersBy.ts';
import { findParallax, moreDepths, type Parallax } from './parallax.ts';
import { placeSurfaces } from './placeSurfaces.ts';
import { cornersAround, partOf, surroundingsOf, type Part } from './surroundings.ts';
import { depthAt, surfacesOf, type Slope, type Surface } from './surfaces.ts';

/** Parallax that is worth following, in the source that shows most of it, analysis px. */
const LEAST_PARALLAX = 0.2;
/** Depths that differ by so many px in the source that shows most of it are one surface, analysis px. */
const SAME_SURFACE = 0.5;
/** The same as a share of the range of depths: the more parallax there is, the less exactly it is known. */
const SAME_SHARE = 0.012;
/** How much a corner counts where slopes are looked for in the whole frame, beside the price of a slope. */
const WIDE = 10;
/** Times the tolerance for what no exact plane explains. */
const LOOSE = 3;
/** Surfaces that are so many tolerances apart somewhere between these places, in local coordinates, are two. */
const APART = 4;
const CORNERS = [
  [-0.5, -0.5],
  [0.5, -0.5],
  [-0.5, 0.5],
  [0.5, 0.5],
] as const;
/** Share of the corners on either side whose depths are not swept. */
const SWEPT = 0.05;
/** On smaller pictures a window holds several surfaces, and its centre of evidence lies on none: corners stay at their middles, analysis px. */
const CENTRED_FROM = 640;
/** Distance of the places that are asked which surface is nearer, analysis px, and how many are asked at most across. */
const ASKED_EVERY = 2.5;
const MOST_ASKED = 170;

/** Corners, interleaved x, y in frame px, and their depths, NaN where unknown. */
interface Deep {
  corners: Float64Array;
  depths: Float64Array;
}

/** Corners, interleaved x, y in frame px: strong ones, and weaker ones around the hole. */
interface SomeCorners {
  strong: Float64Array;
  others: Float64Array;
}

/** Each followed when it is first asked for. */
interface Followed {
  strong: () => FollowedCorners;
  others: () => FollowedCorners;
}

/** What was found so far around the parts of a hole. */
interface Start {
  found: StretchDepth;
  parts: readonly Part[];
  followed: Followed;
  /** Whether a rigid world explains most of what moves off the camera's plane. */
  rigid: boolean;
}

interface Work {
  region: TiledRegion;
  sources: readonly number[];
}

/**
 * Finds what is nearer or farther than the camera's plane around and behind the holes: corners around each part of a hole
 * are followed to its sources, their parallax is split into depths and directions, the depths into surfaces, and each
 * tile of the hole gets the surface under which the sources agree. A stretch of frames shares the depths found in one of
 * them, see {@link DepthMotion}.
 */
export class DepthFinder {
  private readonly follower: CornerFollower;
  private readonly space: UnitSpace;

  constructor(
    private readonly kernels: Kernels,
    private readonly camera: CameraMotion,
    private readonly pyramids: Pyramids,
    private readonly blocked: BlockedCells,
    /** Sample units per 8-bit level. */
    private readonly unit: number,
  ) {
    this.space = unitSpace(camera.data.width, camera.data.height);
    this.follower = new CornerFollower(kernels, camera, pyramids, blocked.has);
  }

  /** One px of the analysis image in unit space. */
  private get unitPx(): number {
    return this.pyramids.scale / this.space.half;
  }

  /**
   * Measures a stretch of frames in one of them: in its first or last one if no rigid world is found in the one that is asked for, since the way to the
   * epipoles leads astray now and then.
   * @param work - Frames with what is to be filled of them, and their sources.
   * @param also - Frames in which the depths are to be known too, though nothing is measured with them.
   */
  findStretch(work: readonly Work[], key: number, also: readonly number[] = []): StretchDepth | undefined {
    if (this.camera.data.tripod) return undefined;
    const regions = work.map((w) => w.region);
    const needed = inOrder(new Set(work.flatMap(({ region, sources }) => [region.frame, ...sources])));
    let asked: Start | undefined;
    for (const frame of new Set([key, regions[0].frame, regions.at(-1)!.frame])) {
      const start = this.begin(unitedRegion(regions, frame, this.camera), needed, also);
      if (start.rigid) return this.end(start, needed);
      asked ??= start;
    }
    return asked && this.end(asked, needed);
  }

  /** Measures what surrounds the holes of a region against each source; undefined if nothing lies off the camera's plane. */
  find(region: TiledRegion, sources: readonly number[], also: readonly number[] = []): StretchDepth | undefined {
    if (this.camera.data.tripod) return undefined;
    return this.end(this.begin(region, sources, also), sources);
  }

  /** With what no rigid world explains. */
  private end(start: Start, sources: readonly number[]): StretchDepth | undefined {
    this.findFreeIn(start, sources);
    return start.found.surfaces.length === 0 ? undefined : start.found;
  }

  /** What a rigid world explains. */
  private begin(region: TiledRegion, sources: readonly number[], also: readonly number[]): Start {
    const { frame, rect, cols, rows } = region;
    const px = this.pyramids.scale;
    const parts = holeParts(region.active, cols, rows).map((part) => partOf(region, part, px));
    const corners = this.cornersOf(frame, parts);
    const tiles = new Uint8Array(cols * rows);
    const found: StretchDepth = { frame, rect, cols, rows, tiles, surfaces: [], nearer: 0, epipoles: new Map() };
    const everyone = [...new Set([...sources, ...also])].filter((s) => s !== frame);
    const standing = (of: Float64Array): Float64Array => this.standing(frame, sources, of);
    const followed = {
      strong: once(() => this.follow(frame, standing(corners.strong), everyone)),
      others: once(() => this.follow(frame, standing(corners.others), everyone)),
    };
    const rigid = this.findRigid({ found, parts, followed }, sources);
    return { found, parts, followed, rigid };
  }

  private follow(frame: number, corners: Float64Array, sources: readonly number[]): FollowedCorners {
    const moved = this.follower.movedOutwards(frame, sources, corners);
    const { scale } = this.pyramids;
    const [level] = this.pyramids.get(frame);
    const isHidden = (x: number, y: number): boolean => this.blocked.has(frame, x * scale, y * scale);
    if (level.width < CENTRED_FROM) return { places: corners, moved };
    const places = centresOfMovement(this.kernels, level, corners, moved.values(), isHidden, scale);
    return { places, moved };
  }

  private findFreeIn({ found, parts, followed }: Start, sources: readonly number[]): void {
    const { cols, rows } = found;
    const px = this.pyramids.scale;
    const all = once(() => joinedCorners(followed.strong(), followed.others()));
    const seen = { ...this.witnesses(found), sources: inOrder(sources) };
    for (const part of parts) findFree({ camera: this.camera, seen, part, followed: all, px, cols, rows }, found);
  }

  /** Surfaces of a rigid world: one epipole per source, and depths. @returns Whether there is one. */
  private findRigid({ found, parts, followed }: Omit<Start, 'rigid'>, sources: readonly number[]): boolean {
    const { frame } = found;
    const strong = followed.strong();
    const views = this.viewsFrom(frame, strong);
    const own = [...views.keys()].filter((s) => sources.includes(s));
    const first = findParallax(
      own.map((s) => views.get(s)!),
      this.unitPx,
    );
    if (!first) return false;
    const others = followed.others();
    const weaker = this.viewsFrom(frame, others);
    const joint = new Map([...views].map(([s, view]) => [s, joinedViews(view, weaker.get(s)!)]));
    const corners = { strong: strong.places, others: others.places };
    const guided = this.guided(frame, corners, joint, own, first);
    const epipoles = own.map((s) => guided.epipoles.get(s));
    own.forEach((s, k) => epipoles[k] && found.epipoles.set(s, epipoles[k]));
    const all = { corners: joined([corners.strong, corners.others]), depths: guided.depths };
    const surest = { corners: corners.strong, depths: guided.depths.subarray(0, corners.strong.length / 2) };
    for (const part of parts) {
      // A depth that moves a point by one analysis px in the source that shows most of it.
      const unit = this.unitPx / this.longest(part.around, epipoles);
      const surfaces = this.surfacesAround(part.around, surest, all, unit, found);
      if (surfaces.length > 0) this.place(part, surfaces, found, all, unit);
    }
    if (found.surfaces.length === 0) return true;
    found.nearer = this.nearerOf(found);
    for (const [s, e] of guided.epipoles) found.epipoles.set(s, e);
    return true;
  }

  /**
   * Depths of all corners, and epipoles, once the first depths tell where to look. Weaker corners are found in wrong places too often to
   * tell where the camera went without them.
   */
  private guided(
    frame: number,
    { strong, others }: SomeCorners,
    views: ReadonlyMap<number, View>,
    own: readonly number[],
    { depths, epipoles }: Parallax,
  ): Guided {
    const weaker = own.map((s) => partOfView(views.get(s)!, strong.length / 2));
    const more = others.length > 0 ? moreDepths(weaker, epipoles, this.unitPx) : others;
    const deep = { corners: joined([strong, others]), depths: joined([depths, more]) };
    const first = new Map(own.flatMap((s, k): [number, Epipole][] => (epipoles[k] ? [[s, epipoles[k]]] : [])));
    const sloped = { ...deep, slopes: this.slopesOf(deep) };
    return new Guide(this.camera, this.follower, frame, sloped, this.unitPx).all(views, first);
  }

  /** Corners all over the frame, which tell where the camera went, and many around each part of the hole. */
  private cornersOf(frame: number, parts: readonly Part[]): SomeCorners {
    const everywhere = this.follower.spread(frame, FEW_CORNERS_ACROSS);
    const near = parts.map(({ around }) => this.follower.corners(frame, surroundingsOf(around, this.pyramids.scale)));
    return {
      strong: joined([everywhere, ...near.map(({ strong }) => strong)]),
      others: joined(near.map(({ others }) => others)),
    };
  }

  /** Without the corners of what passes by. */
  private standing(frame: number, sources: readonly number[], corners: Float64Array): Float64Array {
    const passing = passersBy(this.witnessesOf(frame, sources), this.onPlane(frame), corners);
    return corners.filter((_, i) => passing[i >> 1] === 0);
  }

  /** Surfaces around a part of a hole: those of the strong corners, then such as only the weaker ones show. */
  private surfacesAround(around: Around, strong: Deep, all: Deep, unit: number, found: StretchDepth): PlacedSurface[] {
    const facing = facingSlope(this.camera, found.frame, around, found.epipoles);
    const tolerance = Math.max(SAME_SURFACE * unit, SAME_SHARE * rangeOf(strong.depths));
    const among = (deep: Deep, before: Surface[]): Surface[] => {
      const { numbers, places, counts } = cornersAround(around, deep.corners, this.pyramids.scale);
      const depths = Float64Array.from(numbers, (i) => deep.depths[i]);
      return surfacesOf(places, depths, counts, tolerance, facing, before);
    };
    const near = among(all, among(strong, []));
    const surfaces = [...near, ...othersOf(near, this.planesSeen(all, around, tolerance), tolerance)];
    if (surfaces.every((s) => Math.abs(depthAt(s, 0, 0)) < LEAST_PARALLAX * unit) && !this.isCorrected(found, around)) {
      return [];
    }
    return surfaces.map((surface) => ({ around, surface }));
  }

  /** Planes that the whole frame shows, in local coordinates: around a hole a plane may have few corners, or all of them on a line. */
  private planesSeen(deep: Deep, around: Around, tolerance: number): Surface[] {
    const [x, y] = this.centreOf(around);
    const by = around.scale / this.space.half;
    return this.planesOf(deep, tolerance).map((c) => Float64Array.of(depthAt(c, x, y), c[1] * by, c[2] * by));
  }

  /** Planes that the whole frame shows, in unit space. */
  private planesOf({ corners, depths }: Deep, tolerance: number): Surface[] {
    const places = toUnitSpace(this.camera, corners);
    const weights = new Float64Array(depths.length).fill(WIDE);
    const exact = surfacesOf(places, depths, weights, tolerance);
    // Of what is seen aslant, corners are found less exactly.
    return surfacesOf(places, depths, weights, LOOSE * tolerance, [0, 0], exact);
  }

  /** How depths change at each corner, by the plane that it lies on, per unit of space along x and y; 0 where it lies on none. */
  private slopesOf(deep: Deep): Float64Array {
    const places = toUnitSpace(this.camera, deep.corners);
    const tolerance = SAME_SHARE * rangeOf(deep.depths);
    const planes = this.planesOf(deep, tolerance);
    const out = new Float64Array(deep.corners.length);
    deep.depths.forEach((depth, i) => {
      let least = LOOSE * tolerance;
      for (const c of planes) {
        const off = Math.abs(depth - depthAt(c, places[2 * i], places[2 * i + 1]));
        if (!(off < least)) continue;
        least = off;
        out.set(c.subarray(1), 2 * i);
      }
    });
    return out;
  }

  /** Whether the camera's motion is off at a part of a hole. */
  private isCorrected({ frame, epipoles }: StretchDepth, { cx, cy }: Around): boolean {
    const off = [...epipoles].map(([source, e]) => {
      const guess = Float64Array.of(cx, cy);
      this.camera.map(frame, source, guess);
      const right = guess.slice();
      moveByDepth(this.camera, frame, source, e, Float64Array.of(cx, cy), right, () => 0);
      return norm2(right[0] - guess[0], right[1] - guess[1]);
    });
    return Math.max(0, ...off) > LEAST_PARALLAX * this.pyramids.scale;
  }

  private centreOf({ cx, cy }: Around): [number, number] {
    const { space } = this;
    return [(cx - space.cx) / space.half, (cy - space.cy) / space.half];
  }

  /** How far, in unit space, a depth of 1 moves at most at a part of a hole. */
  private longest(around: Around, epipoles: readonly (Epipole | undefined)[]): number {
    const [x, y] = this.centreOf(around);
    return Math.max(1e-9, ...epipoles.map((e) => (e ? Math.hypot(e[0] - e[2] * x, e[1] - e[2] * y) : 0)));
  }

  /** What every source shows of some corners. */
  private viewsFrom(frame: number, { places, moved }: FollowedCorners): Map<number, View> {
    return new Map([...moved].map(([s, m]) => [s, viewFrom(this.camera, frame, s, places, m)]));
  }

  /** Lays surfaces behind a part. @param unit - Depth that moves a place by one analysis px in the source that shows most of it. */
  private place(part: Part, surfaces: readonly PlacedSurface[], found: StretchDepth, all: Deep, unit: number): void {
    const slope = facingSlope(this.camera, found.frame, part.around, found.epipoles);
    const tried = new TriedSurfaces(this.camera, found);
    const placing = {
      seen: this.witnesses(found),
      part,
      onPlane: this.onPlane(found.frame),
      placeOn: (surface: PlacedSurface) => placeOn(tried, surface),
      sweep: { slope, unit, ...this.depthsAround(part.around, all, slope) },
    };
    placeSurfaces(placing, surfaces, found);
  }

  /** From which to which depth at the middle of a part surfaces of a slope go through most corners. */
  private depthsAround(around: Around, { corners, depths }: Deep, slope: Slope): { from: number; to: number } {
    const { numbers, places } = cornersAround(around, corners, this.pyramids.scale);
    const level = Float64Array.of(0, ...slope);
    const middles = Float64Array.from(numbers, (i, n) => depths[i] - depthAt(level, places[2 * n], places[2 * n + 1]))
      .filter((v) => !Number.isNaN(v))
      .sort();
    return {
      from: middles[Math.floor(SWEPT * middles.length)],
      to: middles[Math.ceil((1 - SWEPT) * middles.length) - 1],
    };
  }

  private witnesses(found: StretchDepth): Witnesses {
    const sources = inOrder(found.epipoles.keys());
    return { ...this.witnessesOf(found.frame, sources), tileSide: found.rect.width / found.cols };
  }

  private witnessesOf(frame: number, sources: readonly number[]): Omit<Witnesses, 'tileSide'> {
    const { kernels, pyramids, blocked, unit } = this;
    return { kernels, pyramids, blocked, frame, sources, unit };
  }

  private onPlane(frame: number): PlaceIn {
    return (source, points) => {
      this.camera.map(frame, source, points);
      return true;
    };
  }

  /** Which sign of depth is nearer, asked all around the parts of the hole behind which two surfaces lie. */
  private nearerOf(found: StretchDepth): StretchDepth['nearer'] {
    const seen = this.witnesses(found);
    const tried = new TriedSurfaces(this.camera, found);
    const arounds = new Map<Around, PlacedSurface[]>();
    for (const placed of found.surfaces) arounds.set(placed.around, [...(arounds.get(placed.around) ?? []), placed]);
    const votes = [...arounds].map(([around, placed]) => {
      if (placed.length < 2) return 0;
      const deep = placed.map((p) => ({
        place: placeOn(tried, p),
        depth: (x: number, y: number) => depthOf(p, x, y),
      }));
      return signOfNearer(seen, deep, this.gridAround(around));
    });
    return Math.sign(votes.reduce<number>((sum, v) => sum + v, 0)) as StretchDepth['nearer'];
  }

  /** Places all over the surroundings of a part of a hole. */
  private gridAround({ cx, cy, scale }: Around): Float32Array {
    const step = Math.max(ASKED_EVERY * this.pyramids.scale, (2 * scale) / MOST_ASKED);
    const out: number[] = [];
    for (let y = cy - scale; y <= cy + scale; y += step)
      for (let x = cx - scale; x <= cx + scale; x += step) out.push(x, y);
    return Float32Array.from(out);
  }
}

const placeOn =
  (tried: TriedSurfaces, surface: PlacedSurface): PlaceIn =>
  (source, points) =>
    tried.map(surface, source, points);

/** Surfaces that are like none of those known, in local coordinates. */
function othersOf(known: readonly Surface[], surfaces: readonly Surface[], tolerance: number): Surface[] {
  const apart = (a: Surface, b: Surface): number =>
    Math.max(...CORNERS.map(([u, v]) => Math.abs(depthAt(a, u, v) - depthAt(b, u, v))));
  return surfaces.filter((one) => known.every((other) => apart(one, other) > APART * tolerance));
}

const joinedCorners = (a: FollowedCorners, b: FollowedCorners): FollowedCorners => ({
  places: joined([a.places, b.places]),
  moved: new Map([...a.moved].map(([s, m]) => [s, joined([m, b.moved.get(s)!])])),
});

/** From the tenth to the last tenth of the depths that are known. */
function rangeOf(depths: Float64Array): number {
  const known = depths.filter((d) => !Number.isNaN(d)).sort();
  return known.length === 0 ? 0 : known[Math.floor(0.9 * known.length)] - known[Math.floor(0.1 * known.length)];
}

/** What a source shows of some corners and of others. */
const joinedViews = (a: View, b: View): View => ({
  places: joined([a.places, b.places]),
  guess: joined([a.guess, b.guess]),
  scale: joined([a.scale, b.scale]),
  moved: joined([a.moved, b.moved]),
});

/** What a source shows of the corners from a number on. */
const partOfView = ({ places, guess, scale, moved }: View, first: number): View => ({
  places: places.subarray(2 * first),
  guess: guess.subarray(2 * first),
  scale: scale.subarray(first),
  moved: moved.subarray(2 * first),
});

const joined = (parts: readonly Float64Array[]): Float64Array => Float64Array.from(parts.flatMap((p) => [...p]));

function once<T>(make: () => T): () => T {
  let made: { value: T } | undefined;
  return () => (made ??= { value: make() }).value;
}

const inOrder = (frames: Iterable<number>): number[] => [...frames].sort((a, b) => a - b);
