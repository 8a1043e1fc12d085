import type { Kernels } from '../../kernels/index.ts';
import type { FrameFormat } from '../image/format.ts';
import { BandBuffers } from './bandBuffers.ts';
import type { Gathered } from './gathered.ts';
import { medianOfChroma, medianOfLuma } from './medianBand.ts';
import { planeSize, RIM_TILE, runsOf, spansOf, TILE, type Region, type Tiles } from './region.ts';
import type { RegionMap, SourcePlaces } from './regionMap.ts';
import { AGREEMENT_FLOATS, ENOUGH } from './sourceAgreement.ts';
import { planePart, type SourceFrame, type SourceFrames } from './sourceFrames.ts';
import { warpPlane } from './warpPlane.ts';

/** What of the sources that see a px becomes the sample: the mean of those that agree, or the median of all. */
export type Statistic = 'mean' | 'median';

/** A source's samples keep this distance from the frame's border, px. */
const FRAME_BORDER = 0;

/** How much each source counts, and how near its samples must be to count. */
export interface Weights {
  /** Per plane: gain, offset and weight per source. */
  params: number[][];
  /** Scale of agreement, per plane. */
  tau: number[];
}

/** A region, and where its sources see it. */
interface Placed {
  region: Region;
  map: RegionMap;
  /** Per source. */
  places: readonly SourcePlaces[];
  weights: Weights;
}

interface FusionOptions {
  /** Surface of each tile; undefined = the camera's plane. */
  surfaces: Uint8Array | undefined;
  /** Start from what most sources agree about, not from their median. */
  densest?: boolean;
}

/** Samples a region's sources and makes one picture of them, on whichever surfaces. */
export class Fusion {
  private readonly band: BandBuffers;

  constructor(
    private readonly kernels: Kernels,
    readonly format: FrameFormat,
    private readonly sourceFrames: SourceFrames,
    private readonly statistic: Statistic,
    private readonly of: Placed,
  ) {
    this.band = new BandBuffers(kernels, of.region, format, of.places.length);
  }

  /** Difference from which samples disagree. */
  get tau(): number {
    return this.of.weights.tau[0];
  }

  /** Fuses a region, or some tiles of it, row by row of tiles, on the surfaces of its tiles or on other ones. */
  run(out: Gathered, { surfaces, densest = false }: FusionOptions): void {
    const { kernels, band } = this;
    const { map, places } = this.of;
    const { region, sources } = out;
    for (let row = 0; row < region.rows; row++) {
      if (rowOf(region, row).active.every((a) => a === 0)) continue;
      sources.forEach((s, k) => {
        kernels.u8(band.usable + k * band.lumaSamples, band.lumaSamples).fill(0);
        map.surfaces.forEach((surface, i) => {
          const corners = places[k].corners[i];
          const active = corners && activeOn(region, row, surfaces, surface);
          if (!active) return;
          kernels.u8(band.active, region.cols).set(active);
          this.warpBand(region, row, this.sourceFrames.get(s), corners, k);
        });
      });
      this.fuseBand(out, row, densest);
    }
  }

  private warpBand(region: Region, row: number, source: SourceFrame, map: Float32Array, k: number): void {
    const { kernels, band, format } = this;
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

  private fuseBand(out: Gathered, row: number, densest: boolean): void {
    const { kernels, band, format } = this;
    const { params, tau } = this.of.weights;
    const { region } = out;
    const n = out.sources.length;
    const { width } = region.rect;
    const tiles = rowOf(region, row);
    const spans = spansOf(tiles, format, 0, RIM_TILE);
    kernels.u8(band.agreed, n * band.lumaSamples).fill(255);
    for (let plane = 1; plane < format.colourPlanes; plane++) this.agreeBand(tiles, n, plane);
    kernels.f32(band.params, n * 3).set(params[0]);
    for (let k = 0; k < spans.length; k += 3) {
      const at = spans[k] * width + spans[k + 1];
      kernels.run.fuse(
        band.values[0] + at * 4,
        band.usable + at,
        band.agreed + at,
        band.weights + at * 4,
        band.lumaSamples * 4,
        n,
        band.params,
        tau[0],
        band.mean + at * 4,
        band.support + at * 4,
        band.share + at * 4,
        spans[k + 2] - spans[k + 1],
        densest,
      );
    }
    this.judgeBand(out, row);
    if (this.statistic === 'median') medianOfLuma(kernels, band, n);
    const first = row * band.lumaSamples;
    for (const [at, to] of [
      [band.mean, out.planes[0]],
      [band.support, out.support],
      [band.share, out.share],
    ] as const) {
      copyRuns(kernels.f32(at, band.lumaSamples), to, first, runsOf(tiles, format, 0, RIM_TILE));
    }
    for (let plane = 1; plane < format.colourPlanes; plane++) this.fuseChroma(out, row, plane);
  }

  /** Who passes before some sources may differ from the background in colour alone. */
  private agreeBand(tiles: Tiles, n: number, plane: number): void {
    const { kernels, band, format } = this;
    const { params, tau } = this.of.weights;
    const { stepX, stepY } = format.planes[plane];
    const row = this.of.region.rect.width;
    const { width } = planeSize(this.of.region, format, plane);
    const spans = spansOf(tiles, format, plane, RIM_TILE);
    kernels.f32(band.params, n * 3).set(params[plane]);
    for (let k = 0; k < spans.length; k += 3) {
      const luma = spans[k] * stepY * row + spans[k + 1] * stepX;
      kernels.run.agreeColour(
        band.values[plane] + (spans[k] * width + spans[k + 1]) * 4,
        band.samples[plane] * 4,
        band.usable + luma,
        band.agreed + luma,
        band.lumaSamples,
        row,
        n,
        band.params,
        tau[plane],
        band.scratch,
        spans[k + 2] - spans[k + 1],
        stepX,
        stepY,
      );
    }
  }

  private judgeBand({ region, sources, agreement }: Gathered, row: number): void {
    const { kernels, band } = this;
    const { cols } = region;
    const n = sources.length;
    const cells = kernels.f32(band.cells, n * 4 * cols * AGREEMENT_FLOATS).fill(0);
    kernels.u8(band.active, cols).set(rowOf(region, row).active);
    const step = band.lumaSamples * 4;
    const { usable, weights, params, support, share, active } = band;
    kernels.run.judgeCells(usable, weights, step, n, params, support, share, ENOUGH, active, cols, band.cells);
    agreement.setRow(row, cells);
  }

  private fuseChroma(out: Gathered, row: number, plane: number): void {
    const { kernels, band, format } = this;
    const { params } = this.of.weights;
    const { region } = out;
    const n = out.sources.length;
    const { stepX, stepY } = format.planes[plane];
    const { width } = planeSize(region, format, plane);
    const tiles = rowOf(region, row);
    const spans = spansOf(tiles, format, plane, RIM_TILE);
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
    const runs = runsOf(tiles, format, plane, RIM_TILE);
    copyRuns(kernels.f32(band.mean, band.samples[plane]), out.planes[plane], row * band.samples[plane], runs);
  }
}

/** The active tiles of a row that lie on a surface; undefined if there are none. */
function activeOn(region: Region, row: number, surfaces: Uint8Array | undefined, on: number): Uint8Array | undefined {
  const { active } = rowOf(region, row);
  const first = row * region.cols;
  const out = surfaces ? active.map((a, c) => (surfaces[first + c] === on ? a : 0)) : active;
  return out.some((a) => a > 0) ? out : undefined;
}

/** One row of a region's tiles. */
function rowOf({ cols, active }: Region, row: number): Tiles {
  return { cols, rows: 1, active: active.subarray(row * cols, (row + 1) * cols) };
}

/** Copies runs of a band of rows to their place in a plane. @param first - Where the band begins in it. */
function copyRuns(band: Float32Array, to: Float32Array, first: number, runs: Int32Array): void {
  for (let k = 0; k < runs.length; k += 2) to.set(band.subarray(runs[k], runs[k + 1]), first + runs[k]);
}
