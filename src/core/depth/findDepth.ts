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
import { epipoleOf, findParallax, moreDepths, sampleEpipole, type Parallax, type View } from './parallax.ts';
import { cornersAround, partOf, surroundingsOf, type Part } from './surroundings.ts';
import { depthAt, surfacesOf, type Surface } from './surfaces.ts';
import { sweepSurface } from './sweepSurface.ts';

/** Parallax that is worth following, in the source that shows most of it, analysis px. */
const LEAST_PARALLAX = 0.2;
/** Depths that differ by so many px in the source that shows most of it are one surface, analysis px. */
const SAME_SURFACE = 0.5;
/** Sources, the farthest ones, that tell whether there is any parallax. */
const PROBES = 2;
/** Sources that depths are measured with, and corners that the others are asked for. */
const MEASURED = 5;
const ASKED = 80;
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
    const { measured, rest } = divided(frame, sources);
    const views = this.follow(frame, measured, corners);
    const parallax = views && findParallax(views, this.unitPx);
    if (!parallax) return;
    const asked = tellingCorners(parallax.depths, ASKED);
    const ask = (s: number): void => {
      const e = epipoleOf(this.view(frame, s, corners, asked), parallax.depths, this.unitPx);
      if (e) found.epipoles.set(s, e);
    };
    parallax.epipoles.forEach((e, k) => e && found.epipoles.set(measured[k], e));
    rest.forEach(ask);
    const strong = { corners, depths: parallax.depths };
    const all = this.withOthers(frame, measured, strong, others, parallax);
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
  private withOthers(
    frame: number,
    measured: readonly number[],
    strong: Deep,
    others: Float64Array,
    parallax: Parallax,
  ): Deep {
    if (others.length === 0) return strong;
    const numbers = [...Array(others.length / 2).keys()];
    const views = measured.map((s) => this.view(frame, s, others, numbers));
    const depths = moreDepths(views, parallax, this.unitPx);
    return { corners: joined([strong.corners, others]), depths: joined([strong.depths, depths]) };
  }

  /** Surfaces around a part of a hole: those of the strong corners, then such as only the weaker ones show. */
  private surfacesAround(around: Around, strong: Deep, all: Deep, unit: number, found: StretchDepth): PlacedSurface[] {
    const facing = facingSlope(this.camera, found.frame, around, found.epipoles);
    const among = (deep: Deep, before: Surface[]): Surface[] => {
      const { numbers, places, counts } = cornersAround(around, deep.corners, this.pyramids.scale);
      const depths = Float64Array.from(numbers, (i) => deep.depths[i]);
      return surfacesOf(places, depths, counts, SAME_SURFACE * unit, facing, before);
    };
    const surfaces = among(all, among(strong, []));
    if (surfaces.every((s) => Math.abs(depthAt(s, 0, 0)) < LEAST_PARALLAX * unit)) return [];
    return surfaces.map((surface) => ({ around, surface }));
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
      scale: scalesOf(this.camera, frame, source, corners),
      moved: this.follower.moved(frame, source, corners, asked).map((v) => v / space.half),
    };
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

const joined = (parts: readonly Float64Array[]): Float64Array => Float64Array.from(parts.flatMap((p) => [...p]));

function once<T>(make: () => T): () => T {
  let made: { value: T } | undefined;
  return () => (made ??= { value: make() }).value;
}

const inOrder = (frames: Iterable<number>): number[] => [...frames].sort((a, b) => a - b);

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

const toUnitSpace = ({ cx, cy, half }: UnitSpace, places: Float64Array): Float64Array =>
  places.map((v, i) => (v - (i % 2 === 0 ? cx : cy)) / half);
