import { norm2 } from '../geometry/linear.ts';
import type { Kernels } from '../../kernels/index.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import { FEW_CORNERS_ACROSS, type BlockedAt } from '../motion/links.ts';
import type { Pyramids } from '../motion/pyramids.ts';
import { unitSpace, type UnitSpace } from '../motion/space.ts';
import { chooseSurfaces, disagreement, type PlaceIn, type Witnesses } from './chooseSurfaces.ts';
import { facingSlope } from './facing.ts';
import { findFree } from './findFree.ts';
import { CornerFollower } from './followCorners.ts';
import { depthOf, mapOnSurface, scalesOf, type Around, type PlacedSurface, type StretchDepth } from './depthPlaces.ts';
import { signOfNearer } from './nearer.ts';
import { holeParts } from './holeParts.ts';
import { unitedRegion, type TiledRegion } from './tiledRegion.ts';
import { correctionAt, type View } from './epipole.ts';
import { epipoleOf, findParallax, moreDepths, type Parallax } from './parallax.ts';
import { cornersAround, partOf, surroundingsOf, type Part } from './surroundings.ts';
import { depthAt, surfacesOf, type Surface } from './surfaces.ts';
import { sweepSurface } from './sweepSurface.ts';

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
/** Distance of the places that are asked which surface is nearer, analysis px. */
const ASKED_EVERY = 2.5;

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

/** What was found so far around the parts of a hole. */
interface Start {
  found: StretchDepth;
  parts: readonly Part[];
  corners: SomeCorners;
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

  /**
   * Measures a stretch of frames in one of them.
   * @param work - Frames with what is to be filled of them, and their sources.
   * @param also - Frames in which the depths are to be known too, though nothing is measured with them.
   */
  findStretch(work: readonly Work[], key: number, also: readonly number[] = []): StretchDepth | undefined {
    const regions = work.map((w) => w.region);
    const needed = new Set(work.flatMap(({ region, sources }) => [region.frame, ...sources]));
    return this.find(unitedRegion(regions, key, this.camera), inOrder(needed), also);
  }

  /** Measures what surrounds the holes of a region against each source; undefined if nothing lies off the camera's plane. */
  find(region: TiledRegion, sources: readonly number[], also: readonly number[] = []): StretchDepth | undefined {
    if (this.camera.data.tripod) return undefined;
    const start = this.begin(region, sources, also);
    this.findFreeIn(start, sources, also);
    return start.found.surfaces.length === 0 ? undefined : start.found;
  }

  /** Whether {@link find} would find anything; told sooner where a rigid world explains it. */
  isDeep(region: TiledRegion, sources: readonly number[]): boolean {
    if (this.camera.data.tripod) return false;
    const start = this.begin(region, sources, []);
    if (start.found.surfaces.length === 0) this.findFreeIn(start, sources, []);
    return start.found.surfaces.length > 0;
  }

  /** What a rigid world explains. */
  private begin(region: TiledRegion, sources: readonly number[], also: readonly number[]): Start {
    const { frame, rect, cols, rows } = region;
    const px = this.pyramids.scale;
    const parts = holeParts(region.active, cols, rows).map((part) => partOf(region, part, px));
    const corners = this.cornersOf(frame, parts);
    const tiles = new Uint8Array(cols * rows);
    const found: StretchDepth = { frame, rect, cols, rows, tiles, surfaces: [], nearer: 0, epipoles: new Map() };
    this.findRigid(found, parts, corners, sources, also);
    return { found, parts, corners };
  }

  private findFreeIn({ found, parts, corners }: Start, sources: readonly number[], also: readonly number[]): void {
    const { frame, cols, rows } = found;
    const px = this.pyramids.scale;
    const all = joined([corners.strong, corners.others]);
    const everyone = [...new Set([...sources, ...also])];
    const moved = once(() => this.follower.movedOutwards(frame, everyone, all));
    const seen = { ...this.witnesses(found), sources: inOrder(sources) };
    for (const part of parts) findFree({ camera: this.camera, seen, part, corners: all, moved, px, cols, rows }, found);
  }

  /** Surfaces of a rigid world: one epipole per source, and depths. */
  private findRigid(
    found: StretchDepth,
    parts: readonly Part[],
    { strong: corners, others }: SomeCorners,
    sources: readonly number[],
    also: readonly number[],
  ): void {
    const { frame } = found;
    const everyone = [...new Set([...sources, ...also])].filter((s) => s !== frame);
    const views = this.viewsOf(frame, everyone, corners);
    const own = everyone.filter((s) => sources.includes(s));
    const seen = own.map((s) => views.get(s)!);
    const parallax = findParallax(seen, this.unitPx);
    if (!parallax) return;
    const ask = (s: number): void => {
      const e = epipoleOf(views.get(s)!, parallax.depths, this.unitPx);
      if (e) found.epipoles.set(s, e);
    };
    parallax.epipoles.forEach((e, k) => (e ? found.epipoles.set(own[k], e) : ask(own[k])));
    const strong = { corners, depths: parallax.depths };
    const weaker = this.viewsOf(frame, own, others);
    const all = this.withOthers(
      own.map((s) => weaker.get(s)!),
      strong,
      others,
      parallax,
    );
    for (const part of parts) {
      // A depth that moves a point by one analysis px in the source that shows most of it.
      const unit = this.unitPx / this.longest(part.around, parallax);
      const surfaces = this.surfacesAround(part.around, strong, all, unit, found);
      if (surfaces.length > 0) this.place(part, surfaces, found, unit);
    }
    if (found.surfaces.length === 0) return;
    found.nearer = this.nearerOf(found);
    also.filter((s) => s !== frame && !sources.includes(s)).forEach(ask);
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

  /** Weaker corners besides the strong ones: found in wrong places more often, they must not tell where the camera went. */
  private withOthers(views: readonly View[], strong: Deep, others: Float64Array, parallax: Parallax): Deep {
    if (others.length === 0) return strong;
    const depths = moreDepths(views, parallax, this.unitPx);
    return { corners: joined([strong.corners, others]), depths: joined([strong.depths, depths]) };
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
    const surfaces = [...near, ...othersOf(near, this.planesSeen(strong, around, tolerance), tolerance)];
    if (surfaces.every((s) => Math.abs(depthAt(s, 0, 0)) < LEAST_PARALLAX * unit) && !this.isCorrected(found, around)) {
      return [];
    }
    return surfaces.map((surface) => ({ around, surface }));
  }

  /** Planes that the whole frame shows, in local coordinates: around a hole a plane may have few corners, or all of them on a line. */
  private planesSeen({ corners, depths }: Deep, around: Around, tolerance: number): Surface[] {
    const places = toUnitSpace(this.space, corners);
    const [x, y] = this.centreOf(around);
    const by = around.scale / this.space.half;
    const weights = new Float64Array(depths.length).fill(WIDE);
    const exact = surfacesOf(places, depths, weights, tolerance);
    // Of what is seen aslant, corners are found less exactly.
    return surfacesOf(places, depths, weights, LOOSE * tolerance, [0, 0], exact).map((c) =>
      Float64Array.of(depthAt(c, x, y), c[1] * by, c[2] * by),
    );
  }

  /** Whether the camera's motion is off at a part of a hole. */
  private isCorrected({ epipoles }: StretchDepth, around: Around): boolean {
    const [x, y] = this.centreOf(around);
    const off = [...epipoles.values()].map((e) => norm2(...correctionAt(e, x, y)));
    return Math.max(0, ...off) > LEAST_PARALLAX * this.unitPx;
  }

  private centreOf({ cx, cy }: Around): [number, number] {
    const { space } = this;
    return [(cx - space.cx) / space.half, (cy - space.cy) / space.half];
  }

  /** How far, in unit space, a depth of 1 moves at most at a part of a hole. */
  private longest(around: Around, { epipoles }: Parallax): number {
    const [x, y] = this.centreOf(around);
    return Math.max(1e-9, ...epipoles.map((e) => (e ? Math.hypot(e[0] - e[2] * x, e[1] - e[2] * y) : 0)));
  }

  /** What every source shows of some corners. */
  private viewsOf(frame: number, sources: readonly number[], corners: Float64Array): Map<number, View> {
    const { space } = this;
    const places = toUnitSpace(space, corners);
    const outwards = this.follower.movedOutwards(frame, sources, corners);
    return new Map(
      [...outwards].map(([source, moved]) => {
        const guess = corners.slice();
        this.camera.map(frame, source, guess);
        const scale = scalesOf(this.camera, frame, source, corners);
        return [source, { places, guess: toUnitSpace(space, guess), scale, moved: moved.map((v) => v / space.half) }];
      }),
    );
  }

  /** Gives each tile of a part one of its surfaces, and brings these to where their tiles agree best. */
  private place({ tiles }: Part, surfaces: readonly PlacedSurface[], found: StretchDepth, unit: number): void {
    const first = found.surfaces.length + 1;
    const seen = this.witnesses(found);
    const placeOn = (surface: PlacedSurface): PlaceIn => this.placeOn(surface, found);
    const chosen =
      surfaces.length === 1
        ? new Uint8Array(tiles.length)
        : chooseSurfaces(seen, surfaces.map(placeOn), tiles, found.cols, found.rows);
    tiles.forEach(({ tile }, i) => (found.tiles[tile] = first + chosen[i]));
    surfaces.forEach(({ around, surface }, k) => {
      const own = tiles.filter((_, i) => chosen[i] === k);
      const off = (s: Surface): Float64Array => disagreement(seen, placeOn({ around, surface: s }), own);
      found.surfaces.push({ around, surface: own.length > 0 ? sweepSurface(off, surface, unit) : surface });
    });
  }

  private witnesses(found: StretchDepth): Witnesses {
    const { kernels, pyramids, blocked, unit } = this;
    const sources = inOrder(found.epipoles.keys());
    const tileSide = found.rect.width / found.cols;
    return { kernels, pyramids, blocked, frame: found.frame, sources, tileSide, unit };
  }

  private placeOn(surface: PlacedSurface, found: StretchDepth): PlaceIn {
    return (source, points) => mapOnSurface(this.camera, found, surface, source, points);
  }

  /** Which sign of depth is nearer, asked all around the parts of the hole behind which two surfaces lie. */
  private nearerOf(found: StretchDepth): StretchDepth['nearer'] {
    const seen = this.witnesses(found);
    const arounds = new Map<Around, PlacedSurface[]>();
    for (const placed of found.surfaces) arounds.set(placed.around, [...(arounds.get(placed.around) ?? []), placed]);
    const votes = [...arounds].map(([around, placed]) => {
      if (placed.length < 2) return 0;
      const deep = placed.map((p) => ({
        place: this.placeOn(p, found),
        depth: (x: number, y: number) => depthOf(p, x, y),
      }));
      return signOfNearer(seen, deep, this.gridAround(around));
    });
    return Math.sign(votes.reduce<number>((sum, v) => sum + v, 0)) as StretchDepth['nearer'];
  }

  /** Places all over the surroundings of a part of a hole. */
  private gridAround({ cx, cy, scale }: Around): Float32Array {
    const step = ASKED_EVERY * this.pyramids.scale;
    const out: number[] = [];
    for (let y = cy - scale; y <= cy + scale; y += step)
      for (let x = cx - scale; x <= cx + scale; x += step) out.push(x, y);
    return Float32Array.from(out);
  }
}

/** Surfaces that are like none of those known, in local coordinates. */
function othersOf(known: readonly Surface[], surfaces: readonly Surface[], tolerance: number): Surface[] {
  const apart = (a: Surface, b: Surface): number =>
    Math.max(...CORNERS.map(([u, v]) => Math.abs(depthAt(a, u, v) - depthAt(b, u, v))));
  return surfaces.filter((one) => known.every((other) => apart(one, other) > APART * tolerance));
}

/** From the tenth to the last tenth of the depths that are known. */
function rangeOf(depths: Float64Array): number {
  const known = depths.filter((d) => !Number.isNaN(d)).sort();
  return known.length === 0 ? 0 : known[Math.floor(0.9 * known.length)] - known[Math.floor(0.1 * known.length)];
}

const joined = (parts: readonly Float64Array[]): Float64Array => Float64Array.from(parts.flatMap((p) => [...p]));

function once<T>(make: () => T): () => T {
  let made: { value: T } | undefined;
  return () => (made ??= { value: make() }).value;
}

const inOrder = (frames: Iterable<number>): number[] => [...frames].sort((a, b) => a - b);

const toUnitSpace = ({ cx, cy, half }: UnitSpace, places: Float64Array): Float64Array =>
  places.map((v, i) => (v - (i % 2 === 0 ? cx : cy)) / half);
