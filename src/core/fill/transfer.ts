import type { Kernels } from '../../kernels/index.ts';
import { solveCholesky } from '../geometry/linear.ts';
import type { PlaneFormat } from '../image/format.ts';
import { TILE, type Region } from './region.ts';

/** Side of the transfer kernel, px. */
const TRANSFER_SIDE = 5;
const HALF = TRANSFER_SIDE >> 1;
const TAPS = TRANSFER_SIDE * TRANSFER_SIDE - 1;
/** Rim px that are looked at: more than are needed, since not all have a whole window. */
const CANDIDATES = 4500;
/** Samples below which nothing is fitted. */
const NEEDED = 600;
/** Pull towards "no change", 8-bit levels² per sample: outweighs noise in flat rims, yields to texture. */
const RIDGE = 1.5;
/** Difference at which a sample counts a quarter, 8-bit levels. */
const WILD_LEVELS = 12;

/** The kernel that changes nothing. */
export function identityTransfer(): Float32Array {
  const k = new Float32Array(TRANSFER_SIDE * TRANSFER_SIDE);
  k[k.length >> 1] = 1;
  return k;
}

/** Variances, px², by which a kernel widens what it is laid on, across and down: below 0 if it sharpens. */
export function wideningOf(kernel: Float32Array): { across: number; down: number } {
  let [across, down] = [0, 0];
  for (let k = 0; k < kernel.length; k++) {
    across += kernel[k] * ((k % TRANSFER_SIDE) - HALF) ** 2;
    down += kernel[k] * (Math.floor(k / TRANSFER_SIDE) - HALF) ** 2;
  }
  return { across, down };
}

/** The Gaussian that widens by some variances, as far as the kernel's side goes. @param across - Px², at least 0. */
export function gaussianTransfer(across: number, down: number): Float32Array {
  const weight = (d: number, variance: number): number => (d === 0 ? 1 : Math.exp((-d * d) / (2 * variance)));
  const kernel = identityTransfer().map((_, k) => {
    const [x, y] = [(k % TRANSFER_SIDE) - HALF, Math.floor(k / TRANSFER_SIDE) - HALF];
    return weight(x, across) * weight(y, down);
  });
  const sum = kernel.reduce((s, v) => s + v, 0);
  return kernel.map((v) => v / sum);
}

/**
 * The 5x5 kernel that turns the gathered picture into what the frame itself shows on the rim: it blurs where the frame
 * is blurred by motion, sharpens where sampling and averaging softened, and shifts by what registration left over.
 * Least squares (the Wiener solution) with the sum of the taps held at 1.
 *
 * @param fused - Gathered luma, w·h.
 * @param own - The frame's luma, w·h.
 * @param rim - 1 where both are known.
 * @param unit - Sample units per 8-bit level.
 */
export function fitTransfer(
  kernels: Kernels,
  fused: Float32Array,
  own: Float32Array,
  rim: Uint8Array,
  w: number,
  h: number,
  unit: number,
): Float32Array {
  const at = usablePlaces(rim, w, h);
  const kernel = identityTransfer();
  if (at.length < NEEDED) return kernel;
  const { a, b } = kernels.scoped(() => normalEquations(kernels, fused, own, at, w, unit));
  const n = TAPS + 1;
  for (let r = 0; r < TAPS; r++) a[r * n + r] += RIDGE * at.length;
  a[TAPS * n + TAPS] += 1e-6;
  if (!solveCholesky(a, b, n)) return kernel;
  let sum = 0;
  for (let k = 0; k < TAPS; k++) {
    kernel[k < TAPS / 2 ? k : k + 1] = b[k];
    sum += b[k];
  }
  kernel[kernel.length >> 1] = 1 - sum;
  return kernel;
}

/**
 * Correlates a plane's samples in a region's active tiles with a kernel; elsewhere the result is undefined.
 * @param plane - Whose samples these are; luma without it.
 */
export function applyTransfer(
  kernels: Kernels,
  samples: Float32Array,
  region: Region,
  transfer: Float32Array,
  { stepX, stepY }: Pick<PlaneFormat, 'stepX' | 'stepY'> = { stepX: 1, stepY: 1 },
): Float32Array {
  const [w, h] = [region.rect.width / stepX, region.rect.height / stepY];
  return kernels.scoped(() => {
    const src = kernels.put(samples);
    const out = kernels.alloc(samples.byteLength);
    const [taps, active] = [kernels.put(transfer), kernels.put(region.active)];
    const tiles = [region.cols, TILE / stepX, TILE / stepY] as const;
    kernels.run.correlateTiles(src, w, h, taps, TRANSFER_SIDE, out, active, ...tiles);
    return kernels.f32(out, samples.length).slice();
  });
}

/** Lower triangle of the normal matrix, (TAPS + 1)², and the right-hand side; the last unknown is a constant. */
function normalEquations(
  kernels: Kernels,
  fused: Float32Array,
  own: Float32Array,
  at: Int32Array,
  w: number,
  unit: number,
): { a: Float64Array; b: Float64Array } {
  const n = TAPS + 1;
  const m = TAPS + 2;
  const normal = kernels.alloc((m * m + m) * 8);
  const sums = kernels.f64(normal, m * m + m).fill(0);
  const [source, target, places] = [kernels.put(fused), kernels.put(own), kernels.put(at)];
  const offsets = kernels.put(tapOffsets(w));
  // A rim pixel that disagrees wildly belongs to something that moves by itself.
  const scale = WILD_LEVELS;
  kernels.run.fitRows(source, target, places, at.length, offsets, TAPS, unit, scale, normal, kernels.alloc(m * 8));
  const a = new Float64Array(n * n);
  for (let r = 0; r < n; r++) a.set(sums.subarray(r * m, r * m + r + 1), r * n);
  return { a, b: sums.slice(m * m, m * m + n) };
}

function tapOffsets(w: number): Int32Array {
  const out: number[] = [];
  for (let y = -HALF; y <= HALF; y++) for (let x = -HALF; x <= HALF; x++) if (x !== 0 || y !== 0) out.push(y * w + x);
  return Int32Array.from(out);
}

/** Rim places whose whole window is rim, evenly thinned. */
function usablePlaces(rim: Uint8Array, w: number, h: number): Int32Array {
  const usable = (i: number): boolean =>
    (rim[i - HALF * w - HALF] &
      rim[i - HALF * w] &
      rim[i - HALF * w + HALF] &
      rim[i - HALF] &
      rim[i + HALF] &
      rim[i + HALF * w - HALF] &
      rim[i + HALF * w] &
      rim[i + HALF * w + HALF]) ===
    1;
  // Most of a region is no rim: four px are skipped at a time.
  const fours = new Uint32Array(rim.buffer, rim.byteOffset, rim.length >> 2);
  let count = 0;
  for (let k = 0; k < fours.length; k++) {
    if (fours[k] !== 0) for (let i = 4 * k; i < 4 * k + 4; i++) count += rim[i];
  }
  const step = Math.max(1, count / CANDIDATES);
  const out = new Int32Array(CANDIDATES + 1);
  let [n, seen, next] = [0, 0, 0];
  for (let i = HALF * w; i < (h - HALF) * w; i++) {
    if ((i & 3) === 0 && fours[i >> 2] === 0) i += 3;
    if (rim[i] === 0 || seen++ < next) continue;
    next += step;
    const x = i % w;
    if (x >= HALF && x < w - HALF && usable(i)) out[n++] = i;
  }
  return out.subarray(0, n);
}
