import type { Kernels } from '../../kernels/index.ts';
import { boxMean } from '../image/boxMean.ts';
import { randomField, type Incomplete, type PatchSets } from './patches.ts';

/** Sweeps of the search for patches that look alike. */
const SWEEPS = 6;
/** How far apart patches that look alike lie at least, as a share of the longer side: nearer ones are alike always. */
const APART_SHARE = 1 / 15;
/** Half the side of the square in which a place is counted, and in which it is the only one, px. */
const COUNT_REACH = 1;
const PEAK_REACH = 4;

/**
 * The distances at which a picture repeats itself: those at which the most patches have another one that looks like them
 * (He & Sun 2014, "Image completion approaches using the statistics of similar patches", section 3).
 *
 * @param most - How many are wanted.
 * @returns dx0 dy0 dx1 dy1 …, px, the most frequent one first.
 */
export function repeats(
  kernels: Kernels,
  picture: Incomplete,
  { source }: PatchSets,
  most: number,
  seed: number,
): number[] {
  const { width: w, height: h } = picture;
  const field = similarPatches(kernels, picture, source, Math.ceil(APART_SHARE * Math.max(w, h)), seed);
  const [cols, rows] = [2 * w - 1, 2 * h - 1];
  const counts = new Float32Array(cols * rows);
  for (let i = 0; i < source.length; i++) {
    if (source[i] === 0) continue;
    const dx = (field[i] % w) - (i % w);
    const dy = Math.floor(field[i] / w) - Math.floor(i / w);
    // What looks alike does so from both sides.
    counts[(dy + h - 1) * cols + dx + w - 1]++;
    counts[(h - 1 - dy) * cols + w - 1 - dx]++;
  }
  const smooth = boxMean(boxMean(counts, cols, rows, COUNT_REACH), cols, rows, COUNT_REACH);
  const peaks = peaksOf(smooth, cols, rows).slice(0, most);
  return peaks.flatMap((at) => [(at % cols) - (w - 1), Math.floor(at / cols) - (h - 1)]);
}

/**
 * The shifts by which the most of some patches were taken.
 *
 * @param field - Per pixel the index of the patch that it is taken from. @param which - 1 for those that count.
 * @returns dx0 dy0 dx1 dy1 …, px, the most frequent one first.
 */
export function frequentShifts({ width: w }: Incomplete, field: Int32Array, which: Uint8Array, most: number): number[] {
  const counts = new Map<number, number>();
  which.forEach((counted, i) => {
    if (counted === 0) return;
    const [dx, dy] = [(field[i] % w) - (i % w), Math.floor(field[i] / w) - Math.floor(i / w)];
    const key = dy * 2 * w + dx + w;
    counts.set(key, (counts.get(key) ?? 0) + 1);
  });
  const best = [...counts].sort(([a, m], [b, n]) => n - m || a - b).slice(0, most);
  return best.flatMap(([key]) => {
    const dy = Math.floor(key / (2 * w));
    return [key - dy * 2 * w - w, dy];
  });
}

/** For each known patch another one, not too near, that looks like it. */
function similarPatches(
  kernels: Kernels,
  picture: Incomplete,
  known: Uint8Array,
  apart: number,
  seed: number,
): Int32Array {
  const { width: w, height: h, colour } = picture;
  return kernels.scoped(() => {
    const [image, set] = [kernels.put(colour), kernels.put(known)];
    const field = kernels.put(randomField(known, seed));
    const cost = kernels.alloc(w * h * 4);
    for (let s = 0; s < SWEEPS; s++)
      kernels.run.patchSweep(image, w, h, set, set, field, cost, apart, s, seed * 64 + s + 1);
    return kernels.i32(field, w * h).slice();
  });
}

/** Places that no other one near surpasses, the highest first. */
function peaksOf(values: Float32Array, w: number, h: number): number[] {
  const peaks: number[] = [];
  for (let y = 0; y < h; y++) {
    for (let x = 0; x < w; x++) {
      const i = y * w + x;
      if (values[i] > 0 && isPeak(values, w, h, x, y)) peaks.push(i);
    }
  }
  return peaks.sort((a, b) => values[b] - values[a] || a - b);
}

function isPeak(values: Float32Array, w: number, h: number, x: number, y: number): boolean {
  const own = y * w + x;
  for (let b = Math.max(0, y - PEAK_REACH); b <= Math.min(h - 1, y + PEAK_REACH); b++) {
    for (let a = Math.max(0, x - PEAK_REACH); a <= Math.min(w - 1, x + PEAK_REACH); a++) {
      const other = b * w + a;
      // Of equal ones the first counts.
      if (values[other] > values[own] || (values[other] === values[own] && other < own)) return false;
    }
  }
  return true;
}
