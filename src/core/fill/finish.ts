import type { Kernels } from '../../kernels/index.ts';
import { maxSample, type FrameFormat, type Rect } from '../image/format.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import { GRAIN_SIDE, sigmaAt, type GrainModel } from './grain.ts';
import { applyTransfer, CELL, CELLS_PER_TILE, offsetGrid, type RimMeasure } from './measure.ts';
import { membrane, type Grid } from './membrane.ts';
import { samplePlate, type Plate } from './plate.ts';
import { HOLE_TILE, planeSize, RIM_TILE, spansOf, TILE, type Region } from './region.ts';

/** Support up to which a gathered pixel counts as unseen. */
const UNSEEN_SUPPORT = 0.02;
/** Neighbouring frames over which the border's offsets are smoothed: weights at distance 0, 1, 2. */
const OFFSET_TAPS = [6, 4, 1];

/** What is known of one frame once its neighbours have been gathered too. */
export interface FinishInput {
  region: Region;
  planes: Float32Array[];
  support: Float32Array;
  own: Float32Array[];
  transfer: Float32Array;
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
}

/** Turns gathered background into final samples. */
export class Finisher {
  constructor(
    private readonly kernels: Kernels,
    private readonly motion: CameraMotion,
    private readonly format: FrameFormat,
    private readonly plates: readonly Plate[],
    /** Per plane; undefined = no grain is added. And how much of it stays from frame to frame. */
    private readonly grain: { models: readonly (GrainModel | undefined)[]; stillness: number },
    private readonly light: number,
    private readonly seed: number,
  ) {}

  /** @param neighbours - Offsets of this frame and of those up to two frames away. */
  finish(input: FinishInput, neighbours: readonly PlacedOffsets[]): Patch {
    const { region } = input;
    const layers = this.completeUnseen(input);
    layers[0] = applyTransfer(this.kernels, layers[0], region, input.transfer);
    this.addOffsets(layers, region, neighbours);
    const luma = layers[0].slice();
    layers.forEach((samples, plane) => this.addGrain(samples, luma, input, plane));
    return this.compose(input, layers);
  }

  /** Gathered samples, and where no source saw anything those of the plates, joined by a membrane. */
  private completeUnseen(input: FinishInput): Float32Array[] {
    const { region } = input;
    const layers = input.planes.map((p) => p.slice());
    const { open, left } = this.openPixels(input);
    this.useOwnWhereKnown(input, layers, open);
    let rest = left;
    for (const plate of this.plates.filter((p) => this.motion.sameScene(p.frame, region.frame))) {
      if (rest === 0) break;
      rest = this.usePlate(plate, region, layers, open);
    }
    if (rest > 0) this.useSurroundings(region, layers, open);
    return layers;
  }

  /** Pixels of active tiles that no source saw (1), and how many of them are to be removed. */
  private openPixels({ region, support }: FinishInput): { open: Uint8Array; left: number } {
    const open = new Uint8Array(support.length);
    const spans = spansOf(region, this.format, 0, RIM_TILE);
    let left = 0;
    for (let k = 0; k < spans.length; k += 3) {
      const row = spans[k] * region.rect.width;
      for (let i = row + spans[k + 1]; i < row + spans[k + 2]; i++) {
        if (support[i] > UNSEEN_SUPPORT) continue;
        open[i] = 1;
        if (region.alpha[i] > 0) left++;
      }
    }
    return { open, left };
  }

  private useOwnWhereKnown({ region, own }: FinishInput, layers: Float32Array[], open: Uint8Array): void {
    const fill = new Uint8Array(open.length);
    let any = false;
    for (let i = 0; i < open.length; i++) {
      if ((open[i] & region.known[i]) === 0) continue;
      fill[i] = 1;
      open[i] = 0;
      any = true;
    }
    if (any) layers.forEach((samples, plane) => this.copyWhere(region, plane, fill, own[plane], samples));
  }

  private usePlate(plate: Plate, region: Region, layers: Float32Array[], open: Uint8Array): number {
    const wanted = nearTilesOf(region, open);
    const seen = samplePlate(this.kernels, plate, region, wanted, this.motion, this.format);
    const take = seen.covers.map((c, i) => c & open[i]);
    if (!take.includes(1)) return countOpen(region, open);
    layers.forEach((samples, plane) => {
      const joined = this.joinTo(samples, seen.planes[plane], region, plane, open, seen.covers);
      this.copyWhere(region, plane, take, joined, samples);
    });
    for (let i = 0; i < open.length; i++) if (take[i]) open[i] = 0;
    return countOpen(region, open);
  }

  /** The plate's samples plus a membrane of what differs on the pixels that both know. */
  private joinTo(
    known: Float32Array,
    plate: Float32Array,
    region: Region,
    plane: number,
    open: Uint8Array,
    covers: Uint8Array,
  ): Float32Array {
    const grid = offsetGrid(region);
    const { sum, weight } = this.cellSums(region, plane, grid, (i, luma) =>
      open[luma] === 0 && covers[luma] === 1 ? known[i] - plate[i] : undefined,
    );
    const field = membrane(grid, sum, weight);
    return this.plusField(plate, region, plane, grid, field);
  }

  /** Last resort where nothing at all is known: a smooth continuation of the surroundings. */
  private useSurroundings(region: Region, layers: Float32Array[], open: Uint8Array): void {
    const grid = offsetGrid(region);
    layers.forEach((samples, plane) => {
      const { sum, weight } = this.cellSums(region, plane, grid, (i, luma) =>
        open[luma] === 0 ? samples[i] : undefined,
      );
      const field = membrane(grid, sum, weight);
      const smooth = this.plusField(new Float32Array(samples.length), region, plane, grid, field);
      this.copyWhere(region, plane, open, smooth, samples);
    });
  }

  private addOffsets(layers: Float32Array[], region: Region, neighbours: readonly PlacedOffsets[]): void {
    if (this.light === 0) return;
    const grid = offsetGrid(region);
    const merged = this.mergeOffsets(region, grid, layers.length, neighbours);
    layers.forEach((samples, plane) => {
      const field = membrane(grid, merged[plane].sum, merged[plane].weight);
      for (let i = 0; i < field.length; i++) field[i] *= this.light;
      samples.set(this.plusField(samples, region, plane, grid, field));
    });
  }

  /** Offsets of neighbouring frames brought to this frame's grid, so that the fill does not breathe. */
  private mergeOffsets(
    region: Region,
    grid: Grid,
    planes: number,
    neighbours: readonly PlacedOffsets[],
  ): { sum: Float32Array; weight: Float32Array }[] {
    const cells = grid.cols * grid.rows;
    const out = Array.from({ length: planes }, () => ({
      sum: new Float32Array(cells),
      weight: new Float32Array(cells),
    }));
    const centres = new Float32Array(cells * 2);
    for (let i = 0; i < cells; i++) {
      centres[2 * i] = region.rect.x + ((i % grid.cols) + 0.5) * CELL;
      centres[2 * i + 1] = region.rect.y + (Math.floor(i / grid.cols) + 0.5) * CELL;
    }
    for (const other of neighbours) {
      if (!this.motion.sameScene(region.frame, other.frame)) continue;
      const tap = OFFSET_TAPS[Math.abs(other.frame - region.frame)];
      const cols = other.rect.width / CELL;
      const rows = other.rect.height / CELL;
      const places = centres.slice();
      this.motion.map(region.frame, other.frame, places);
      for (let i = 0; i < cells; i++) {
        const c = Math.floor((places[2 * i] - other.rect.x) / CELL);
        const r = Math.floor((places[2 * i + 1] - other.rect.y) / CELL);
        if (c < 0 || r < 0 || c >= cols || r >= rows) continue;
        for (let plane = 0; plane < planes; plane++) {
          out[plane].sum[i] += tap * other.offsets[plane].sum[r * cols + c];
          out[plane].weight[i] += tap * other.offsets[plane].weight[r * cols + c];
        }
      }
    }
    return out;
  }

  private addGrain(samples: Float32Array, luma: Float32Array, input: FinishInput, plane: number): void {
    const model = this.grain.models[plane];
    if (!model) return;
    const { region, support } = input;
    const { stepX, stepY } = this.format.planes[plane];
    const { width } = planeSize(region, this.format, plane);
    const noise = this.grainField(model, region, plane);
    const full = maxSample(this.format);
    this.eachHoleRun(region, plane, (y, x0, x1) => {
      const row = y * stepY * region.rect.width;
      for (let x = x0, i = y * width + x0; x < x1; x++, i++) {
        const at = row + x * stepX;
        // A mean of n sources keeps 1/n of their grain; its difference to the frame, which was measured, shows
        // 1 + 1/n. What is missing is 1 - 1/n of the grain's own variance.
        const n = support[at] > UNSEEN_SUPPORT ? Math.max(1, support[at]) : Infinity;
        const missing = n === Infinity ? 1 : (n - 1) / (n + 1);
        samples[i] += noise[i] * sigmaAt(model, luma[at] / full) * Math.sqrt(missing);
      }
    });
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
        const [a, b] = [kernels.f32(white, w * h), kernels.f32(kept, w * h)];
        for (let i = 0; i < a.length; i++) a[i] = fresh * a[i] + still * b[i];
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
  private compose(input: FinishInput, layers: Float32Array[]): Patch {
    const { region, own, support } = input;
    const full = maxSample(this.format);
    const planes = layers.map((samples, plane) => {
      const out = Uint16Array.from(own[plane]);
      const { stepX, stepY } = this.format.planes[plane];
      const { width } = planeSize(region, this.format, plane);
      this.eachHoleRun(region, plane, (y, x0, x1) => {
        for (let x = x0, i = y * width + x0; x < x1; x++, i++) {
          const a = meanAlpha(region, x * stepX, y * stepY, stepX, stepY);
          if (a === 0) continue;
          const v = own[plane][i] + (samples[i] - own[plane][i]) * a;
          out[i] = Math.min(full, Math.max(0, Math.round(v)));
        }
      });
      return out;
    });
    let [hole, unseen] = [0, 0];
    for (let i = 0; i < support.length; i++) {
      if (region.alpha[i] === 0) continue;
      hole++;
      if (support[i] <= UNSEEN_SUPPORT) unseen++;
    }
    return { frame: region.frame, rect: region.rect, planes, hole, unseen };
  }

  /** Calls `use` with every run of samples (row, first, end) in tiles that hold part of the hole. */
  private eachHoleRun(region: Region, plane: number, use: (y: number, x0: number, x1: number) => void): void {
    const spans = spansOf(region, this.format, plane, HOLE_TILE);
    for (let k = 0; k < spans.length; k += 3) use(spans[k], spans[k + 1], spans[k + 2]);
  }

  private copyWhere(region: Region, plane: number, mask: Uint8Array, from: Float32Array, to: Float32Array): void {
    const { stepX, stepY } = this.format.planes[plane];
    const size = planeSize(region, this.format, plane);
    for (let y = 0, i = 0; y < size.height; y++) {
      const row = y * stepY * region.rect.width;
      for (let x = 0; x < size.width; x++, i++) if (mask[row + x * stepX] === 1) to[i] = from[i];
    }
  }

  private cellSums(
    region: Region,
    plane: number,
    grid: Grid,
    value: (i: number, luma: number) => number | undefined,
  ): { sum: Float32Array; weight: Float32Array } {
    const { stepX, stepY } = this.format.planes[plane];
    const size = planeSize(region, this.format, plane);
    const sum = new Float32Array(grid.cols * grid.rows);
    const weight = new Float32Array(grid.cols * grid.rows);
    const [cw, ch] = [size.width / grid.cols, size.height / grid.rows];
    for (let y = 0, i = 0; y < size.height; y++) {
      const row = y * stepY * region.rect.width;
      for (let x = 0; x < size.width; x++, i++) {
        const v = value(i, row + x * stepX);
        if (v === undefined) continue;
        const c = Math.floor(y / ch) * grid.cols + Math.floor(x / cw);
        sum[c] += v;
        weight[c]++;
      }
    }
    return { sum, weight };
  }

  private plusField(
    samples: Float32Array,
    region: Region,
    plane: number,
    grid: Grid,
    field: Float32Array,
  ): Float32Array {
    const { kernels } = this;
    const { stepX, stepY } = this.format.planes[plane];
    const { width } = planeSize(region, this.format, plane);
    return kernels.scoped(() => {
      const [at, values, active] = [kernels.put(samples), kernels.put(field), kernels.put(region.active)];
      const tile = [TILE / stepX, TILE / stepY] as const;
      const { cols, rows } = region;
      kernels.run.addField(
        at,
        width,
        values,
        grid.cols,
        grid.rows,
        active,
        HOLE_TILE,
        cols,
        rows,
        ...tile,
        CELLS_PER_TILE,
      );
      return kernels.f32(at, samples.length).slice();
    });
  }
}

/** Active tiles with open pixels and their neighbours, on which the join to what is known is measured. */
function nearTilesOf(region: Region, open: Uint8Array): Uint8Array {
  const { cols, rows } = region;
  const width = cols * TILE;
  const out = new Uint8Array(cols * rows);
  for (let i = 0; i < open.length; i++) {
    if (open[i] === 0) continue;
    const x = i % width;
    const [c, r] = [Math.floor(x / TILE), Math.floor((i - x) / width / TILE)];
    if (out[r * cols + c] === 2) continue;
    for (let b = Math.max(0, r - 1); b <= Math.min(rows - 1, r + 1); b++) {
      for (let a = Math.max(0, c - 1); a <= Math.min(cols - 1, c + 1); a++) out[b * cols + a] ||= 1;
    }
    out[r * cols + c] = 2;
  }
  return out;
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

function countOpen(region: Region, open: Uint8Array): number {
  let n = 0;
  for (let i = 0; i < open.length; i++) if (open[i] === 1 && region.alpha[i] > 0) n++;
  return n;
}
