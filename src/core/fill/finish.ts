import type { Kernels } from '../../kernels/index.ts';
import { maxSample, type FrameFormat, type Rect } from '../image/format.ts';
import type { Flicker } from '../flicker/flicker.ts';
import { flickerAgain } from '../flicker/relightRows.ts';
import { layBody } from '../behind/layBody.ts';
import type { BodyLayer } from '../behind/cutBody.ts';
import type { Point } from '../geometry/homography.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import { sigmaAt, type GrainModel } from './grain.ts';
import type { GrainField } from './grainField.ts';
import { UNSEEN_SUPPORT, type Completer, type Known } from './complete.ts';
import { keepRestless } from './mirrored.ts';
import type { RimMeasure } from './measure.ts';
import { CELL, offsetGrid } from './offsetGrid.ts';
import { layFlecks, type Shown } from './layFlecks.ts';
import { HOLE_TILE, planeSize, runsOf, spansOf, type Region } from './region.ts';
import { textureField } from './textureField.ts';
import { activeCells, fieldOf, plusField } from './smoothField.ts';
import { applyTransfer } from './transfer.ts';

/** Neighbouring frames over which the border's offsets are smoothed: weights at distance 0, 1, 2. */
const OFFSET_TAPS = [6, 4, 1];

/** What is known of one frame once its neighbours have been gathered too; planes and support as gathered. */
export interface FinishInput extends Known {
  /** Who passes behind the hole, the farthest first, and how far each goes from the frame that shows them, px. */
  behind?: readonly { layer: BodyLayer; way: Point }[];
  /** Where small things pass before all of the picture. */
  flecks?: FleckPictures;
  /** How the frame's lamps flicker, and its own samples with that: all others are without. */
  lamps?: { flicker: Flicker; own: readonly Float32Array[] };
  /** How much of the shot's grain this frame has, per plane ({@link ShotGrain}); all of it without. */
  grainShares?: readonly number[];
}

/** Pictures of a hole from which flecks are taken that pass before it. */
export interface FleckPictures {
  shown: Shown;
  /** Shown by frames near to those in time. */
  check: Shown;
}

/** Rim offsets of a frame with the place of their grid. */
export interface PlacedOffsets {
  frame: number;
  rect: Rect;
  offsets: RimMeasure['offsets'];
}

/** The finished samples of a region: written where the matte is above 0, the frame's own elsewhere. */
export interface Patch {
  frame: number;
  rect: Rect;
  /** Integer samples per colour plane. */
  planes: Uint16Array[];
  /** Luma px of the hole, and how many of them no frame showed. */
  hole: number;
  unseen: number;
  /** Per luma px of the rectangle 1 where the frame stays as it is, in the hole, too; undefined if that is nowhere. */
  stays?: Uint8Array;
}

/** Turns gathered background into final samples. */
export class Finisher {
  constructor(
    private readonly kernels: Kernels,
    private readonly motion: CameraMotion,
    private readonly format: FrameFormat,
    /** Completes what is left open. */
    private readonly completer: Completer,
    /** Per plane; undefined = no grain is added. */
    private readonly grain: { models: readonly (GrainModel | undefined)[]; field: GrainField },
    private readonly light: number,
  ) {}

  /** @param neighbours - Offsets of this frame and of those up to two frames away. */
  finish(input: FinishInput, neighbours: readonly PlacedOffsets[]): Patch {
    const { region } = input;
    const planes = input.planes.slice();
    planes[0] = applyTransfer(this.kernels, planes[0], region, input.transfer);
    if (input.restless) keepRestless(region, input.restless, input.planes[0], planes[0]);
    const { layers, support } = this.completer.complete({
      ...input,
      planes: this.withOffsets(planes, region, neighbours),
    });
    const luma = layers[0].slice();
    if (input.flecks) this.layFlecks(layers, input.flecks, support);
    layers.forEach((samples, plane) => this.addGrain(samples, luma, { ...input, support }, plane));
    for (const { layer, way } of input.behind ?? []) layBody(layer, way, region, this.format, layers);
    if (input.lamps) flickerAgain(layers, input.lamps.flicker, this.format, region);
    return this.compose({ region, own: (input.lamps ?? input).own, support }, layers);
  }

  private layFlecks(layers: readonly Float32Array[], { shown, check }: FleckPictures, support: Float32Array): void {
    const taken = layFlecks(layers, shown, check, { format: this.format, support });
    // The grain of one frame is in it.
    for (let i = 0; i < taken.length; i++) if (taken[i] > 0.5) support[i] = 1;
  }

  /** The samples in the light that the border shows. */
  private withOffsets(
    planes: readonly Float32Array[],
    region: Region,
    neighbours: readonly PlacedOffsets[],
  ): readonly Float32Array[] {
    if (this.light === 0) return planes;
    const merged = this.mergeOffsets(region, planes.length, neighbours);
    return planes.map((samples, plane) => {
      const field = fieldOf(region, merged[plane]);
      for (let i = 0; i < field.length; i++) field[i] *= this.light;
      return plusField(this.kernels, samples, region, this.format, plane, field);
    });
  }

  /** Offsets of neighbouring frames brought to the cells of this frame's active tiles, so that the fill does not breathe. */
  private mergeOffsets(
    region: Region,
    planes: number,
    neighbours: readonly PlacedOffsets[],
  ): { sum: Float32Array; weight: Float32Array }[] {
    const grid = offsetGrid(region);
    const out = Array.from({ length: planes }, () => ({
      sum: new Float32Array(grid.cols * grid.rows),
      weight: new Float32Array(grid.cols * grid.rows),
    }));
    const cells = activeCells(region);
    const centres = new Float32Array(cells.length * 2);
    cells.forEach((cell, k) => {
      centres[2 * k] = region.rect.x + ((cell % grid.cols) + 0.5) * CELL;
      centres[2 * k + 1] = region.rect.y + (Math.floor(cell / grid.cols) + 0.5) * CELL;
    });
    for (const other of neighbours) {
      if (!this.motion.sameScene(region.frame, other.frame)) continue;
      const tap = OFFSET_TAPS[Math.abs(other.frame - region.frame)];
      const cols = other.rect.width / CELL;
      const rows = other.rect.height / CELL;
      const places = centres.slice();
      this.motion.map(region.frame, other.frame, places);
      for (let k = 0; k < cells.length; k++) {
        const c = Math.floor((places[2 * k] - other.rect.x) / CELL);
        const r = Math.floor((places[2 * k + 1] - other.rect.y) / CELL);
        if (c < 0 || r < 0 || c >= cols || r >= rows) continue;
        for (let plane = 0; plane < planes; plane++) {
          out[plane].sum[cells[k]] += tap * other.offsets[plane].sum[r * cols + c];
          out[plane].weight[cells[k]] += tap * other.offsets[plane].weight[r * cols + c];
        }
      }
    }
    return out;
  }

  private addGrain(
    samples: Float32Array,
    luma: Float32Array,
    input: Pick<FinishInput, 'region' | 'support' | 'grainShares'>,
    plane: number,
  ): void {
    const model = this.grain.models[plane];
    if (!model) return;
    const { region, support, grainShares } = input;
    const share = grainShares?.[plane] ?? 1;
    const { stepX, stepY } = this.format.planes[plane];
    const { width } = planeSize(region, this.format, plane);
    const noise = this.grain.field.make(model, region, plane);
    const full = maxSample(this.format);
    const kept = this.motion.data.tripod ? 1 : model.resampled;
    const texture = textureField(region, this.format, plane, samples, full);
    const { cols } = offsetGrid(region);
    const spans = spansOf(region, this.format, plane, HOLE_TILE);
    for (let k = 0; k < spans.length; k += 3) {
      const row = spans[k] * stepY * region.rect.width;
      const first = spans[k] * width;
      const cells = Math.floor((spans[k] * stepY) / CELL) * cols;
      for (let x = spans[k + 1]; x < spans[k + 2]; x++) {
        const at = row + x * stepX;
        // A mean of n sources keeps kept/n of their grain; its difference to the frame, which was measured, shows
        // 1 + kept/n. What is missing is 1 - kept/n of the grain's own variance.
        const n = Math.max(1, support[at]);
        const missing = support[at] > UNSEEN_SUPPORT ? (n - kept) / (n + kept) : 1;
        const sigma = sigmaAt(model, luma[at] / full, texture[cells + Math.floor((x * stepX) / CELL)]);
        samples[first + x] += noise[first + x] * share * sigma * Math.sqrt(missing);
      }
    }
  }

  /** Lays the fill over the frame's own samples by the matte, and rounds once. */
  private compose(input: Pick<FinishInput, 'region' | 'own' | 'support'>, layers: Float32Array[]): Patch {
    const { region, own, support } = input;
    const full = maxSample(this.format);
    const { alpha, rect } = region;
    const { width: w, height: h } = this.format;
    const matte = { alpha, width: rect.width, lastX: w - 1 - rect.x, lastY: h - 1 - rect.y };
    const planes = layers.map((samples, plane) => {
      const mixed = own[plane].slice();
      const { stepX, stepY } = this.format.planes[plane];
      const { width } = planeSize(region, this.format, plane);
      const spans = spansOf(region, this.format, plane, HOLE_TILE);
      for (let k = 0; k < spans.length; k += 3) {
        mixRow(mixed, samples, spans[k] * width, spans[k + 1], spans[k + 2], matte, spans[k] * stepY, stepX, stepY);
      }
      return this.rounded(mixed, full);
    });
    return { frame: region.frame, rect: region.rect, planes, ...this.counts(region, support) };
  }

  private counts(region: Region, support: Float32Array): Pick<Patch, 'hole' | 'unseen'> {
    const { alpha } = region;
    let [hole, unseen] = [0, 0];
    const runs = runsOf(region, this.format, 0, HOLE_TILE);
    for (let k = 0; k < runs.length; k += 2) {
      for (let i = runs[k]; i < runs[k + 1]; i++) {
        if (alpha[i] === 0) continue;
        hole++;
        if (support[i] <= UNSEEN_SUPPORT) unseen++;
      }
    }
    return { hole, unseen };
  }

  private rounded(samples: Float32Array, most: number): Uint16Array {
    const { kernels } = this;
    return kernels.scoped(() => {
      const out = kernels.alloc(samples.length * 2);
      kernels.run.roundSamples(kernels.put(samples), samples.length, 1, most, out);
      return kernels.u16(out, samples.length).slice();
    });
  }
}

/** A region's matte and the last px of it that lies in the frame. */
interface EdgedMatte {
  alpha: Uint8Array;
  width: number;
  lastX: number;
  lastY: number;
}

/** Mixes samples x0 .. x1-1 of a row of a plane into others by the matte. @param first - Where the row begins. @param y - Its luma row. */
function mixRow(
  into: Float32Array,
  samples: Float32Array,
  first: number,
  x0: number,
  x1: number,
  matte: EdgedMatte,
  y: number,
  stepX: number,
  stepY: number,
): void {
  const plain = stepX === 1 && stepY === 1;
  const row = y * matte.width;
  const whole = 255 * stepX * stepY;
  for (let x = x0; x < x1; x++) {
    const a = plain ? matte.alpha[row + x] : matteSum(matte, x * stepX, y, stepX, stepY);
    if (a === 0) continue;
    const i = first + x;
    into[i] += ((samples[i] - into[i]) * a) / whole;
  }
}

/**
 * Matte under one sample of a plane: the sum over its stepX·stepY luma px from (x, y) on. Where an odd size ends in the
 * middle of a sample, the frame's last px stands for those beyond it.
 */
function matteSum(
  { alpha, width, lastX, lastY }: EdgedMatte,
  x: number,
  y: number,
  stepX: number,
  stepY: number,
): number {
  let sum = 0;
  for (let b = y; b < y + stepY; b++) {
    const row = Math.min(b, lastY) * width;
    for (let a = x; a < x + stepX; a++) sum += alpha[row + Math.min(a, lastX)];
  }
  return sum;
}
