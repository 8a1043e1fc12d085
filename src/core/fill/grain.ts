import { median } from '../geometry/linear.ts';
import { cubicWeights } from '../image/cubic.ts';

/** Side of the blocks on which grain is measured, samples. */
const BLOCK = 12;
/** Correlation is measured over lags 0..LAGS across and -LAGS..LAGS down. */
const LAGS = 3;
const LAG_COUNT = (LAGS + 1) * (2 * LAGS + 1);
/** Floats per measured block: mean luma, variance, texture, correlation. */
export const BLOCK_FLOATS = 3 + LAG_COUNT;
const BLOCKS_PER_FRAME = 24;
/** Share of the blocks with the least texture, on which errors of registration tell least. */
const SMOOTH_SHARE = 0.4;
const LEVELS = 12;
/** Classes of texture: its standard deviation doubles from one to the next. */
const CLASSES = 7;
/** Standard deviation in the middle of the lowest class, share of full scale. */
const LEAST_TEXTURE = 1 / 512;
/** Blocks that say what grain a level of luma has, and one a class of texture in it. */
const LEVEL_BLOCKS = 24;
const CLASS_BLOCKS = 12;
/** Levels of luma around one in which a class of texture is looked for. */
const CLASS_REACH = 2;
export const GRAIN_SIDE = 2 * LAGS + 1;

/** Grain of one plane. */
export interface GrainModel {
  /**
   * Standard deviation, sample units, at luma (i + ½)/LEVELS of full scale where the picture's own texture is of class j:
   * entry j·LEVELS + i.
   */
  sigma: Float32Array;
  /**
   * Kernels that give white noise of variance 1 the grain's correlation, GRAIN_SIDE² each, and shift it by parts of a
   * sample: entry {@link kernelNumber}.
   */
  kernels: Float32Array[];
  /** Share of its variance that is left when it is resampled to places all over a px, bicubically. */
  resampled: number;
}

/** Shifts within a sample that kernels are made for, each way. */
export const PHASES = 4;

/** Number of the kernel that shifts by -2..1 quarters of a sample across and down. */
export const kernelNumber = (across: number, down: number): number =>
  (down + PHASES / 2) * PHASES + across + PHASES / 2;

/**
 * Measures the difference between a frame and its noise-free estimate on blocks of the rim.
 *
 * @param residual - Frame minus estimate.
 * @param estimate - The estimate, whose own variance tells the texture.
 * @param luma - Luma level per sample, 0..1.
 * @param rim - 1 where both are known.
 * @returns BLOCK_FLOATS per block.
 */
export function measureGrain(
  residual: Float32Array,
  estimate: Float32Array,
  luma: (i: number) => number,
  rim: Uint8Array,
  w: number,
  h: number,
): Float32Array {
  const corners: number[] = [];
  for (let y = 0; y + BLOCK <= h; y += BLOCK / 2) {
    for (let x = 0; x + BLOCK <= w; x += BLOCK / 2) if (full(rim, y * w + x, w)) corners.push(y * w + x);
  }
  const step = Math.max(1, corners.length / BLOCKS_PER_FRAME);
  const out: number[] = [];
  for (let k = 0; Math.floor(k * step) < corners.length; k++) {
    out.push(...measureBlock(residual, estimate, luma, corners[Math.floor(k * step)], w));
  }
  return Float32Array.from(out);
}

function full(rim: Uint8Array, at: number, w: number): boolean {
  for (let y = 0; y < BLOCK; y++) {
    for (let x = 0; x < BLOCK; x++) if (rim[at + y * w + x] === 0) return false;
  }
  return true;
}

function measureBlock(
  residual: Float32Array,
  estimate: Float32Array,
  luma: (i: number) => number,
  at: number,
  w: number,
): number[] {
  const n = BLOCK * BLOCK;
  const r = new Float64Array(n);
  let [mr, me, me2, level] = [0, 0, 0, 0];
  for (let y = 0; y < BLOCK; y++) {
    for (let x = 0; x < BLOCK; x++) {
      const i = at + y * w + x;
      r[y * BLOCK + x] = residual[i];
      mr += residual[i];
      me += estimate[i];
      me2 += estimate[i] ** 2;
      level += luma(i);
    }
  }
  for (let i = 0; i < n; i++) r[i] -= mr / n;
  const correlation = lagsOf(r);
  const variance = correlation[LAGS];
  return [level / n, variance, me2 / n - (me / n) ** 2, ...correlation];
}

/** Mean products at lags; entry dx·(2·LAGS + 1) + dy + LAGS. */
function lagsOf(r: Float64Array): number[] {
  const out: number[] = [];
  for (let dx = 0; dx <= LAGS; dx++) {
    for (let dy = -LAGS; dy <= LAGS; dy++) {
      let sum = 0;
      let n = 0;
      for (let y = Math.max(0, -dy); y < Math.min(BLOCK, BLOCK - dy); y++) {
        for (let x = 0; x + dx < BLOCK; x++, n++) sum += r[y * BLOCK + x] * r[(y + dy) * BLOCK + x + dx];
      }
      out.push(sum / n);
    }
  }
  return out;
}

/** Sums of a comparison of two frames' grain: products, squares of each, distances, and sizes of both. */
export interface Likeness {
  both: number;
  first: number;
  second: number;
  apart: number;
  size: number;
}

export const NOT_COMPARED: Readonly<Likeness> = { both: 0, first: 0, second: 0, apart: 0, size: 0 };

/** Grain never counts as wholly still: then it would be dirt on the lens. */
const STILLEST = 0.98;

/**
 * Correlation of the grain of neighbouring frames, 0..1: what a codec repeats instead of coding it anew.
 *
 * A codec that leaves most blocks as they are and codes a few anew changes the picture less, on the whole, than grain does
 * that has everywhere the mean correlation. So it counts too how far the frames are apart: independent grain by √2 of
 * its size. Between px, where grain is weaker, that says too little, and the correlation holds.
 */
export function stillness(measured: readonly Likeness[]): number {
  const sum = { ...NOT_COMPARED };
  for (const m of measured) {
    sum.both += m.both;
    sum.first += m.first;
    sum.second += m.second;
    sum.apart += m.apart;
    sum.size += m.size;
  }
  const scale = Math.sqrt(sum.first * sum.second);
  if (!(scale > 0)) return 0;
  const byDistance = 1 - 2 * (sum.apart / sum.size) ** 2;
  return Math.min(STILLEST, Math.max(0, sum.both / scale, byDistance));
}

/**
 * Grain of a plane from the blocks of all frames; undefined if there are too few to tell.
 * @param full - Largest sample.
 */
export function grainModel(blocks: readonly Float32Array[], full: number): GrainModel | undefined {
  const all: Float32Array[] = [];
  for (const frame of blocks) {
    for (let i = 0; i < frame.length; i += BLOCK_FLOATS) all.push(frame.subarray(i, i + BLOCK_FLOATS));
  }
  if (all.length < 8) return undefined;
  const sigma = sigmaTable(all, full);
  const smooth = smoothest(all);
  const correlation = new Float64Array(LAG_COUNT);
  let energy = 0;
  for (const b of smooth) {
    energy += b[1];
    for (let k = 0; k < LAG_COUNT; k++) correlation[k] += b[3 + k];
  }
  const kernels = kernelsOf(correlation.map((c) => c / Math.max(energy, 1e-9)));
  return { sigma, kernels, resampled: resampledShare(kernels[kernelNumber(0, 0)]) };
}

/** Means of w(i)·w(i + d) over all phases, for d = 0..3: of Keys' bicubic weights w (1981, a = -1/2). */
const WEIGHT_PRODUCTS = [0, 1, 2, 3].map((d) => {
  const phases = 256;
  let sum = 0;
  for (let k = 0; k < phases; k++) {
    const w = cubicWeights((k + 0.5) / phases);
    for (let i = 0; i + d < w.length; i++) sum += w[i] * w[i + d];
  }
  return sum / phases;
});

/** Sums of products of a kernel's entries that lie (dx, dy) apart, for dx from 0 on: the correlation that it gives white noise of variance 1. */
function productsOf(kernel: Float32Array, dx: number, dy: number): number {
  let sum = 0;
  for (let y = Math.max(0, -dy); y < Math.min(GRAIN_SIDE, GRAIN_SIDE - dy); y++) {
    for (let x = Math.max(0, -dx); x < Math.min(GRAIN_SIDE, GRAIN_SIDE - dx); x++) {
      sum += kernel[y * GRAIN_SIDE + x] * kernel[(y + dy) * GRAIN_SIDE + x + dx];
    }
  }
  return sum;
}

/** What bicubic resampling leaves of the variance of noise with a kernel's correlation. */
export function resampledShare(kernel: Float32Array): number {
  const own = productsOf(kernel, 0, 0);
  if (own <= 0) return 1;
  let kept = 0;
  for (let dy = -LAGS; dy <= LAGS; dy++) {
    for (let dx = -LAGS; dx <= LAGS; dx++) {
      kept += productsOf(kernel, dx, dy) * WEIGHT_PRODUCTS[Math.abs(dx)] * WEIGHT_PRODUCTS[Math.abs(dy)];
    }
  }
  return kept / own;
}

/**
 * Variance of the Laplacian (4, -1 on each side) of noise with a correlation: how much of it is as fine as the px. What is left of motion and light
 * counts little there.
 */
function finenessOf(at: (dx: number, dy: number) => number): number {
  const straight = at(1, 0) + at(0, 1);
  const aslant = at(1, 1) + at(1, -1);
  return Math.max(0, 20 * at(0, 0) - 16 * straight + 4 * aslant + 2 * (at(2, 0) + at(0, 2)));
}

/** Fineness of a measured block. */
export const blockFineness = (block: Float32Array): number =>
  finenessOf((dx, dy) => block[3 + dx * (2 * LAGS + 1) + dy + LAGS]);

/** The same of the grain that a model would add to a block. @param full - Largest sample. */
export function expectedFineness(model: GrainModel, block: Float32Array, full: number): number {
  const kernel = model.kernels[kernelNumber(0, 0)];
  const sigma = sigmaAt(model, block[0], textureClass(block[2], full));
  return sigma ** 2 * finenessOf((dx, dy) => productsOf(kernel, dx, dy));
}

function smoothest(blocks: Float32Array[]): Float32Array[] {
  const sorted = [...blocks].sort((a, b) => a[2] - b[2]);
  return sorted.slice(0, Math.max(4, Math.ceil(sorted.length * SMOOTH_SHARE)));
}

const sigmaOf = (blocks: readonly Float32Array[]): number => Math.sqrt(median(blocks.map((b) => b[1])));

const atLevel =
  (level: number) =>
  (b: Float32Array): boolean =>
    Math.abs(b[0] * LEVELS - level - 0.5) <= 0.75;

/**
 * Grain by luma is what its smoothest blocks show, for errors of registration tell least there. Where the picture is
 * smoother still than these, it may have less: a codec leaves grain on what has texture and wipes it off what is even. It
 * never has more.
 */
function sigmaTable(blocks: Float32Array[], full: number): Float32Array {
  const byLuma = sigmaByLuma(blocks);
  const out = new Float32Array(CLASSES * LEVELS);
  for (let j = 0; j < CLASSES; j++) {
    const mine = blocks.filter((b) => Math.abs(textureClass(b[2], full) - j) <= 0.5);
    const seen = Float32Array.from({ length: LEVELS }, (_, level) => {
      const here = mine.filter(atLevel(level));
      return here.length >= CLASS_BLOCKS ? sigmaOf(here) : NaN;
    });
    for (let i = 0; i < LEVELS; i++) {
      const found = nearest(seen, i, CLASS_REACH);
      out[j * LEVELS + i] = Number.isNaN(found) ? byLuma[i] : Math.min(byLuma[i], found);
    }
  }
  return out;
}

/** Class of texture of a variance, 0 to CLASSES - 1, with parts of classes. */
export function textureClass(variance: number, full: number): number {
  const steps = 0.5 * Math.log2(Math.max(variance, 1e-12)) - Math.log2(full * LEAST_TEXTURE);
  return Math.min(CLASSES - 1, Math.max(0, steps));
}

function sigmaByLuma(blocks: Float32Array[]): Float32Array {
  const overall = sigmaOf(smoothest(blocks));
  const out = new Float32Array(LEVELS).fill(NaN);
  for (let level = 0; level < LEVELS; level++) {
    const mine = blocks.filter(atLevel(level));
    if (mine.length >= LEVEL_BLOCKS) out[level] = sigmaOf(smoothest(mine));
  }
  return out.map((_, i) => {
    const found = nearest(out, i, LEVELS);
    return Number.isNaN(found) ? overall : found;
  });
}

/** What is known at an entry, or at the nearest ones within reach; NaN if nothing is. */
function nearest(values: Float32Array, i: number, reach: number): number {
  for (let d = 0; d <= reach; d++) {
    const near = [values[i - d], values[i + d]].filter((n) => n !== undefined && !Number.isNaN(n));
    if (near.length > 0) return near.reduce((a, b) => a + b) / near.length;
  }
  return NaN;
}

/** Side of the grid on which spectra are computed. */
const N = 16;
/** Cycles per px below which a difference is light or registration rather than grain. */
const SLOWEST_GRAIN = 0.11;

/**
 * Root of the power spectrum of a correlation (Wiener-Khinchin), tapered, as kernels of each shift. What is slower than
 * grain is left out, and its energy with it: a kernel's energy is the share of the variance that is grain.
 */
function kernelsOf(correlation: Float64Array): Float32Array[] {
  const root = new Float64Array(N * N);
  let [total, kept] = [0, 0];
  for (let v = 0; v < N; v++) {
    for (let u = 0; u < N; u++) {
      const p = powerAt(correlation, u, v);
      const fast = p * (1 - Math.exp(-(signed(u) ** 2 + signed(v) ** 2) / (N * SLOWEST_GRAIN) ** 2));
      total += p;
      kept += fast;
      root[v * N + u] = Math.sqrt(fast);
    }
  }
  const energy = kept / Math.max(total, 1e-9);
  return Array.from({ length: PHASES * PHASES }, (_, k) => {
    const shift = (index: number): number => (index - PHASES / 2) / PHASES;
    return kernelOf(root, energy, shift(k % PHASES), shift(Math.floor(k / PHASES)));
  });
}

/** Frequency of an entry of a spectrum, cycles per N samples. */
const signed = (u: number): number => (u > N / 2 ? u - N : u);

/** The kernel of a spectrum, shifted by parts of a sample (shift theorem), with a given energy. */
function kernelOf(root: Float64Array, energy: number, shiftX: number, shiftY: number): Float32Array {
  const out = new Float32Array(GRAIN_SIDE * GRAIN_SIDE);
  for (let dy = -LAGS; dy <= LAGS; dy++) {
    for (let dx = -LAGS; dx <= LAGS; dx++) {
      let sum = 0;
      for (let v = 0; v < N; v++) {
        for (let u = 0; u < N; u++) {
          const turns = (signed(u) * (dx - shiftX) + signed(v) * (dy - shiftY)) / N;
          sum += root[v * N + u] * Math.cos(2 * Math.PI * turns);
        }
      }
      out[(dy + LAGS) * GRAIN_SIDE + dx + LAGS] = sum;
    }
  }
  const own = out.reduce((sum, v) => sum + v * v, 0);
  const scale = own > 0 ? Math.sqrt(energy / own) : 0;
  return out.map((v) => v * scale);
}

function powerAt(correlation: Float64Array, u: number, v: number): number {
  let sum = 0;
  for (let dx = -LAGS; dx <= LAGS; dx++) {
    for (let dy = -LAGS; dy <= LAGS; dy++) {
      const c = dx >= 0 ? correlation[dx * (2 * LAGS + 1) + dy + LAGS] : correlation[-dx * (2 * LAGS + 1) - dy + LAGS];
      const taper = (1 - Math.abs(dx) / (LAGS + 1)) * (1 - Math.abs(dy) / (LAGS + 1));
      sum += c * taper * Math.cos((2 * Math.PI * (u * dx + v * dy)) / N);
    }
  }
  return Math.max(0, sum);
}

/** Standard deviation at a luma level of 0..1. @param texture - From {@link textureClass}. */
export function sigmaAt({ sigma }: GrainModel, level: number, texture: number): number {
  const p = Math.min(LEVELS - 1.001, Math.max(0, level * LEVELS - 0.5));
  const [i, j] = [Math.floor(p), Math.min(CLASSES - 2, Math.floor(texture))];
  const at = j * LEVELS + i;
  const low = sigma[at] + (sigma[at + 1] - sigma[at]) * (p - i);
  const high = sigma[at + LEVELS] + (sigma[at + LEVELS + 1] - sigma[at + LEVELS]) * (p - i);
  return low + (high - low) * (texture - j);
}
