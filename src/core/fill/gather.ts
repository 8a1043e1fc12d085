import type { Kernels } from '../../kernels/index.ts';
import type { FrameMap } from '../depth/frameMap.ts';
import { BandBuffers } from './bandBuffers.ts';
import { median } from '../geometry/linear.ts';
import { grow, intersect, snap, type FrameFormat, type FrameReader, type Rect } from '../image/format.ts';
import { medianOfChroma, medianOfLuma } from './medianBand.ts';
import type { LightFit } from './light.ts';
import { measureLights } from './rimLight.ts';
import { eachRun, partOf, planeSize, readRegionPlane, RIM_TILE, spansOf, TILE, type Region } from './region.ts';
import { RegionMap, rimPoints, surfacesBehind, type SourcePlaces } from './regionMap.ts';
import { chooseBetween, surfacesBeside } from './twoSurfaces.ts';
import { warpPlane } from './warpPlane.ts';
import { AGREEMENT_FLOATS, ENOUGH, SourceAgreement } from './sourceAgreement.ts';
import { planePart, type SourceFrame, type SourceFrames } from './sourceFrames.ts';

/** What other frames say about a region. */
export interface Gathered {
  region: Region;
  sources: number[];
  /** Fused samples per colour plane. */
  planes: Float32Array[];
  /** Sum of agreeing weights per luma px, 0 = no source sees it. A near, clean source counts 1. */
  support: Float32Array;
  /** The same as a share of the weights of all sources that see it: low where they contradict one another. */
  share: Float32Array;
  /** What each source shows of it. */
  agreement: SourceAgreement;
  /** The frame's own samples per colour plane. */
  own: Float32Array[];
}

/** What of the sources that see a px becomes the sample: the mean of those that agree, or the median of all. */
export type Statistic = 'mean' | 'median';

/** Points of the rim on which a source's light and error are measured. */
const RIM_POINTS = 600;
/** A source's samples keep this distance from the frame's border, px. */
const FRAME_BORDER = 0;
/** Room around the mapped region for the cubic's support and the residual mesh, px. */
const MAP_MARGIN = 12;
/** Agreement between sources: times their typical error, plus a share of an 8-bit level. */
const TAU_SIGMAS = 2.5;
const TAU_LEVELS = 1;
/** Time distance, frames, at which a source weighs half. */
const HALF_WEIGHT = 40;

/** Part of frame `source` that a region of another frame maps to. */
export function neededRect(region: Region, source: number, motion: FrameMap, format: FrameFormat): Rect {
  const { x, y, width, height } = region.rect;
  const points: number[] = [];
  for (const v of [0, 0.5, 1]) for (const u of [0, 0.5, 1]) points.push(x + u * width, y + v * height);
  const mapped = surfacesBehind(region, motion).flatMap((surface) => {
    const places = Float64Array.from(points);
    motion.map(region.frame, source, places, surface);
    return [...places];
  });
  const xs = mapped.filter((_, i) => i % 2 === 0);
  const ys = mapped.filter((_, i) => i % 2 === 1);
  const [left, top] = [Math.floor(Math.min(...xs)), Math.floor(Math.min(...ys))];
  const box = { x: left, y: top, width: Math.ceil(Math.max(...xs)) - left, height: Math.ceil(Math.max(...ys)) - top };
  const frame = { x: 0, y: 0, width: format.width, height: format.height };
  const step = Math.max(...format.planes.flatMap((p) => [p.stepX, p.stepY]));
  const rect = intersect(snap(grow(box, MAP_MARGIN), step), frame);
  if (rect.width >= 16 && rect.height >= 16) return rect;
  // Nothing of it is in view: any small part of the frame keeps the arithmetic defined.
  return { x: 0, y: 0, width: Math.min(16, format.width), height: Math.min(16, format.height) };
}

export const union = (a: Rect | undefined, b: Rect): Rect => {
  if (!a) return b;
  const x = Math.min(a.x, b.x);
  const y = Math.min(a.y, b.y);
  return {
    x,
    y,
    width: Math.max(a.x + a.width, b.x + b.width) - x,
    height: Math.max(a.y + a.height, b.y + b.height) - y,
  };
};

/** Fetches the background of regions from other frames. */
export class Gatherer {
  private readonly unit: number;

  constructor(
    private readonly kernels: Kernels,
    private readonly frames: FrameReader,
    private readonly motion: FrameMap,
    private readonly sourceFrames: SourceFrames,
    /** Strength of the light match, 0..1. */
    private readonly light: number,
    private readonly statistic: Statistic = 'mean',
  ) {
    this.unit = 2 ** (frames.format.depth - 8);
  }

  /**
   * Samples each source through one composed motion, corrects its light by what the rim shows, and fuses those that
   * agree. Sources may include the frame itself.
   */
  gather(region: Region, sources: readonly number[]): Gathered {
    const { colourPlanes } = this.frames.format;
    const own = Array.from({ length: colourPlanes }, (_, p) => readRegionPlane(this.frames, region, p));
    const out = nothingOf(region, sources, own);
    if (sources.length > 0) this.kernels.scoped(() => this.run(out));
    return out;
  }

  private run(out: Gathered): void {
    const { kernels } = this;
    const { region, sources } = out;
    const { format } = this.frames;
    const tiles = this.motion.surfaces(region.frame);
    const map = new RegionMap(region, this.motion, tiles);
    const places = sources.map((s) => map.in(s));
    const rim = rimPoints(region, RIM_POINTS);
    const views = sources.map((s, k) => ({
      frame: () => this.sourceFrames.get(s),
      points: map.placesOf(rim, places[k]),
    }));
    const lights = measureLights(kernels, format, region, out.own, rim, views, this.unit);
    const weights = this.weigh(region.frame, sources, lights);
    const band = new BandBuffers(kernels, region, format, sources.length);
    const beside = tiles && surfacesBeside(region, tiles);
    if (!beside) return this.fuseRegion(out, map, places, band, weights, false);
    const alone = beside.tiles.map((b) => 1 - b);
    this.fuseRegion({ ...out, region: partOf(region, alone) }, map, places, band, weights, false);
    this.fuseRegion({ ...out, region: partOf(region, beside.tiles) }, map, places, band, weights, true);
    const second = nothingOf(partOf(region, beside.tiles), sources, out.own);
    const other = new RegionMap(second.region, this.motion, beside.surfaces);
    const otherPlaces = sources.map((s) => other.in(s));
    this.fuseRegion(second, other, otherPlaces, band, weights, true);
    chooseBetween(out, second, format, weights.tau);
  }

  private fuseRegion(
    out: Gathered,
    map: RegionMap,
    places: readonly SourcePlaces[],
    band: BandBuffers,
    weights: Weights,
    densest: boolean,
  ): void {
    const { kernels } = this;
    const { region, sources } = out;
    for (let row = 0; row < region.rows; row++) {
      if (region.active.subarray(row * region.cols, (row + 1) * region.cols).every((a) => a === 0)) continue;
      sources.forEach((s, k) => {
        kernels.u8(band.usable + k * band.lumaSamples, band.lumaSamples).fill(0);
        places[k].corners.forEach((corners, surface) => {
          const on = map.activeOn(surface, row);
          const active = on?.map((a, c) => Math.min(a, region.active[row * region.cols + c]));
          if (!corners || !active?.some((a) => a > 0)) return;
          kernels.u8(band.active, region.cols).set(active);
          this.warpBand(region, row, this.sourceFrames.get(s), corners, band, k);
        });
      });
      this.fuseBand(out, row, band, weights, densest);
    }
  }

  private warpBand(
    region: Region,
    row: number,
    source: SourceFrame,
    map: Float32Array,
    band: BandBuffers,
    k: number,
  ): void {
    const { kernels } = this;
    const { format } = this.frames;
    const { cols } = region;
    const corners = (cols + 1) * 2;
    const part = map.subarray(row * corners, (row + 2) * corners);
    const usable = band.usable + k * band.lumaSamples;
    for (let plane = 0; plane < format.colourPlanes; plane++) {
      const { stepX, stepY } = format.planes[plane];
      const local = kernels.f32(band.map, part.length);
      for (let i = 0; i < part.length; i += 2) {
        local[i] = (part[i] - source.rect.x) / stepX;
        local[i + 1] = (part[i + 1] - source.rect.y) / stepY;
      }
      const { width: w, height: h } = planePart(source.rect, format.planes[plane]);
      const out = band.values[plane] + k * band.samples[plane] * 4;
      const active = kernels.u8(band.active, cols);
      const picture = { at: source.planes[plane], width: w, height: h };
      warpPlane(kernels, picture, local, cols, 1, active, stepX, stepY, out);
      if (plane > 0) continue;
      kernels.run.usableTiles(
        source.blocked,
        source.rect.width,
        source.rect.width,
        source.rect.height,
        source.rect.x,
        source.rect.y,
        format.width,
        format.height,
        FRAME_BORDER,
        band.map,
        cols,
        1,
        TILE,
        band.active,
        usable,
        region.rect.width,
      );
    }
  }

  private fuseBand(out: Gathered, row: number, band: BandBuffers, { params, tau }: Weights, densest: boolean): void {
    const { kernels } = this;
    const { region } = out;
    const n = out.sources.length;
    const { width } = region.rect;
    const spans = spansOf(tileRow(region, row), this.frames.format, 0, RIM_TILE);
    kernels.f32(band.params, n * 3).set(params[0]);
    for (let k = 0; k < spans.length; k += 3) {
      const at = spans[k] * width + spans[k + 1];
      kernels.run.fuse(
        band.values[0] + at * 4,
        band.usable + at,
        band.weights + at * 4,
        band.lumaSamples * 4,
        n,
        band.params,
        tau,
        band.mean + at * 4,
        band.support + at * 4,
        band.share + at * 4,
        spans[k + 2] - spans[k + 1],
        densest,
      );
    }
    this.judgeBand(out, row, band);
    if (this.statistic === 'median') medianOfLuma(kernels, band, n);
    const first = row * band.lumaSamples;
    for (const [at, to] of [
      [band.mean, out.planes[0]],
      [band.support, out.support],
      [band.share, out.share],
    ] as const) {
      copyRuns(kernels.f32(at, band.lumaSamples), to, first, width, spans);
    }
    for (let plane = 1; plane < this.frames.format.colourPlanes; plane++)
      this.fuseChroma(out, row, band, params, plane);
  }

  private judgeBand({ region, sources, agreement }: Gathered, row: number, band: BandBuffers): void {
    const { kernels } = this;
    const { cols } = region;
    const n = sources.length;
    const cells = kernels.f32(band.cells, n * 4 * cols * AGREEMENT_FLOATS).fill(0);
    kernels.u8(band.active, cols).set(region.active.subarray(row * cols, (row + 1) * cols));
    const step = band.lumaSamples * 4;
    const { usable, weights, params, support, share, active } = band;
    kernels.run.judgeCells(usable, weights, step, n, params, support, share, ENOUGH, active, cols, band.cells);
    agreement.setRow(row, cells);
  }

  private fuseChroma(out: Gathered, row: number, band: BandBuffers, params: number[][], plane: number): void {
    const { kernels } = this;
    const { format } = this.frames;
    const { region } = out;
    const n = out.sources.length;
    const { stepX, stepY } = format.planes[plane];
    const { width } = planeSize(region, format, plane);
    const spans = spansOf(tileRow(region, row), format, plane, RIM_TILE);
    kernels.f32(band.params, n * 3).set(params[plane]);
    const lumaRow = region.rect.width * 4;
    for (let k = 0; k < spans.length; k += 3) {
      const at = spans[k] * width + spans[k + 1];
      kernels.run.fuseChroma(
        band.values[plane] + at * 4,
        band.samples[plane] * 4,
        band.weights + spans[k] * stepY * lumaRow + spans[k + 1] * stepX * 4,
        band.lumaSamples * 4,
        lumaRow,
        n,
        band.params,
        band.mean + at * 4,
        spans[k + 2] - spans[k + 1],
        stepX,
        stepY,
      );
    }
    if (this.statistic === 'median') medianOfChroma(kernels, band, n, plane, params[plane], width, stepX, stepY);
    copyRuns(kernels.f32(band.mean, band.samples[plane]), out.planes[plane], row * band.samples[plane], width, spans);
  }

  private weigh(t: number, sources: readonly number[], lights: LightFit[][]): Weights {
    const measured = lights.map((l) => l[0].sigma).filter((s) => Number.isFinite(s));
    const typical = Math.max(measured.length > 0 ? median(measured) : 2 * this.unit, this.unit / 4);
    const params = lights[0].map((_, plane) =>
      lights.flatMap((l, k) => {
        const { gain, offset } = l[plane];
        const sigma = Number.isFinite(l[0].sigma) ? Math.max(l[0].sigma, typical / 2) : typical * 1.5;
        const quality = Math.min(1, (typical / sigma) ** 2);
        const weight = quality / (1 + Math.abs(sources[k] - t) / HALF_WEIGHT);
        return [1 + this.light * (gain - 1), this.light * offset, weight];
      }),
    );
    return { params, tau: TAU_SIGMAS * typical + TAU_LEVELS * this.unit };
  }
}

/** How much each source counts, and how near its samples must be to count. */
interface Weights {
  /** Per plane: gain, offset and weight per source. */
  params: number[][];
  /** Scale of agreement. */
  tau: number;
}

/** What no source has said anything about yet. */
function nothingOf(region: Region, sources: readonly number[], own: Float32Array[]): Gathered {
  const planes = own.map((samples) => new Float32Array(samples.length));
  const support = new Float32Array(region.rect.width * region.rect.height);
  const share = new Float32Array(support.length);
  const agreement = new SourceAgreement(region, sources.length);
  return { region, sources: [...sources], planes, support, share, agreement, own };
}

/** One row of a region's tiles. */
function tileRow({ cols, active }: Region, row: number): Pick<Region, 'cols' | 'rows' | 'active'> {
  return { cols, rows: 1, active: active.subarray(row * cols, (row + 1) * cols) };
}

/** Copies runs of a band of rows to their place in a plane. @param first - Where the band begins in it. */
function copyRuns(band: Float32Array, to: Float32Array, first: number, width: number, spans: Int32Array): void {
  eachRun(spans, width, (from, end) => to.set(band.subarray(from, end), first + from));
}
