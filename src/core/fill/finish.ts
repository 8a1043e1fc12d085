import type { Kernels } from '../../kernels/index.ts';
import { maxSample, type FrameFormat, type Rect } from '../image/format.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import { GRAIN_SIDE, sigmaAt, type GrainModel } from './grain.ts';
import { UNSEEN_SUPPORT, type Completer, type Known } from './complete.ts';
import { applyTransfer, CELL, offsetGrid, type RimMeasure } from './measure.ts';
import { eachRun, HOLE_TILE, planeSize, RIM_TILE, spansOf, TILE, type Region } from './region.ts';
import { activeCells, fieldOf, plusField } from './smoothField.ts';

/** Neighbouring frames over which the border's offsets are smoothed: weights at distance 0, 1, 2. */
const OFFSET_TAPS = [6, 4, 1];

/** What is known of one frame once its neighbours have been gathered too; planes and support as gathered. */
export type FinishInput = Known;

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
}

/** Turns gathered background into final samples. */
export class Finisher {
  constructor(
    private readonly kernels: Kernels,
    private readonly motion: CameraMotion,
    private readonly format: FrameFormat,
    /** Completes what is left open. */
    private readonly completer: Completer,
    /** Per plane; undefined = no grain is added. And how much of it stays from frame to frame. */
    private readonly grain: { models: readonly (GrainModel | undefined)[]; stillness: number },
    private readonly light: number,
    private readonly seed: number,
  ) {}

  /** @param neighbours - Offsets of this frame and of those up to two frames away. */
  finish(input: FinishInput, neighbours: readonly PlacedOffsets[]): Patch {
    const { region } = input;
    const planes = input.planes.slice();
    planes[0] = applyTransfer(this.kernels, planes[0], region, input.transfer);
    const { layers, support } = this.completer.complete({
      ...input,
      planes: this.withOffsets(planes, region, neighbours),
    });
    const luma = layers[0].slice();
    layers.forEach((samples, plane) => this.addGrain(samples, luma, { region, support }, plane));
    return this.compose({ region, own: input.own, support }, layers);
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
    input: Pick<FinishInput, 'region' | 'support'>,
    plane: number,
  ): void {
    const model = this.grain.models[plane];
    if (!model) return;
    const { region, support } = input;
    const { stepX, stepY } = this.format.planes[plane];
    const { width } = planeSize(region, this.format, plane);
    const noise = this.grainField(model, region, plane);
    const full = maxSample(this.format);
    const spans = spansOf(region, this.format, plane, HOLE_TILE);
    for (let k = 0; k < spans.length; k += 3) {
      const row = spans[k] * stepY * region.rect.width;
      const first = spans[k] * width;
      for (let x = spans[k + 1]; x < spans[k + 2]; x++) {
        const at = row + x * stepX;
        // A mean of n sources keeps 1/n of their grain; its difference to the frame, which was measured, shows
        // 1 + 1/n. What is missing is 1 - 1/n of the grain's own variance.
        const n = Math.max(1, support[at]);
        const missing = support[at] > UNSEEN_SUPPORT ? (n - 1) / (n + 1) : 1;
        samples[first + x] += noise[first + x] * sigmaAt(model, luma[at] / full) * Math.sqrt(missing);
      }
    }
  }

  /** Correlated noise of variance 1 on the tiles of the hole; it depends on the place in the frame alone. */
  private grainField(model: GrainModel, region: Region, plane: number): Float32Array {
    const { kernels } = this;
    const { stepX, stepY } = this.format.planes[plane];
    const { width: w, height: h } = planeSize(region, this.format, plane);
    const tiles = [region.cols, TILE / stepX, TILE / stepY] as const;
    return kernels.scoped(() => {
      const [x, y] = [region.rect.x / stepX, region.rect.y / stepY];
      // The rim's noise is needed too: correlation reaches across the hole's tiles.
      const active = kernels.put(region.active);
      const white = kernels.alloc(w * h * 4);
      kernels.run.whiteNoise(white, w, h, x, y, seedOf(this.seed, region.frame + 1, plane), active, ...tiles);
      const still = Math.sqrt(this.grain.stillness);
      if (still > 0) {
        // The part that stays lies still in the scene, not on the lens.
        const moved = this.shiftToScene(region);
        const kept = kernels.alloc(w * h * 4);
        const [sx, sy] = [x + Math.round(moved.x / stepX), y + Math.round(moved.y / stepY)];
        kernels.run.whiteNoise(kept, w, h, sx, sy, seedOf(this.seed, 0, plane), active, ...tiles);
        const fresh = Math.sqrt(1 - this.grain.stillness);
        const spans = spansOf(region, this.format, plane, RIM_TILE);
        const [a, b] = [kernels.f32(white, w * h), kernels.f32(kept, w * h)];
        eachRun(spans, w, (from, to) => {
          for (let i = from; i < to; i++) a[i] = fresh * a[i] + still * b[i];
        });
      }
      const out = kernels.alloc(w * h * 4);
      const taps = kernels.put(model.kernel);
      const hole = kernels.put(region.active.map((a) => (a === HOLE_TILE ? 1 : 0)));
      kernels.run.correlateTiles(white, w, h, taps, GRAIN_SIDE, out, hole, ...tiles);
      return kernels.f32(out, w * h).slice();
    });
  }

  /** How far the middle of a region has moved in the frame in the middle of the shot, px. */
  private shiftToScene({ frame, rect }: Region): { x: number; y: number } {
    const [x, y] = [rect.x + rect.width / 2, rect.y + rect.height / 2];
    const place = Float64Array.of(x, y);
    this.motion.map(frame, this.motion.data.count >> 1, place);
    return { x: place[0] - x, y: place[1] - y };
  }

  /** Lays the fill over the frame's own samples by the matte, and rounds once. */
  private compose(input: Pick<FinishInput, 'region' | 'own' | 'support'>, layers: Float32Array[]): Patch {
    const { region, own, support } = input;
    const full = maxSample(this.format);
    const planes = layers.map((samples, plane) => {
      const out = new Uint16Array(own[plane]);
      const { stepX, stepY } = this.format.planes[plane];
      const { width } = planeSize(region, this.format, plane);
      const spans = spansOf(region, this.format, plane, HOLE_TILE);
      for (let k = 0; k < spans.length; k += 3) {
        const first = spans[k] * width;
        for (let x = spans[k + 1]; x < spans[k + 2]; x++) {
          const a = meanAlpha(region, x * stepX, spans[k] * stepY, stepX, stepY);
          if (a === 0) continue;
          const before = own[plane][first + x];
          out[first + x] = Math.min(full, Math.max(0, Math.round(before + (samples[first + x] - before) * a)));
        }
      }
      return out;
    });
    let [hole, unseen] = [0, 0];
    const spans = spansOf(region, this.format, 0, HOLE_TILE);
    eachRun(spans, region.rect.width, (from, to) => {
      for (let i = from; i < to; i++) {
        if (region.alpha[i] === 0) continue;
        hole++;
        if (support[i] <= UNSEEN_SUPPORT) unseen++;
      }
    });
    return { frame: region.frame, rect: region.rect, planes, hole, unseen };
  }
}

const seedOf = (seed: number, frame: number, plane: number): number =>
  (Math.imul(seed, 0x9e3779b1) ^ Math.imul(frame, 0x85ebca6b) ^ (plane * 0x27d4eb2f)) >>> 0;

/** Mean matte (0..1) of the luma px under a sample. */
function meanAlpha({ alpha, rect }: Region, x: number, y: number, stepX: number, stepY: number): number {
  if (stepX === 1 && stepY === 1) return alpha[y * rect.width + x] / 255;
  let sum = 0;
  for (let b = 0; b < stepY; b++) for (let a = 0; a < stepX; a++) sum += alpha[(y + b) * rect.width + x + a];
  return sum / (255 * stepX * stepY);
}
