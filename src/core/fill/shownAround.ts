import { CELL, offsetGrid } from './offsetGrid.ts';
import type { Region } from './region.ts';

/** How far a luma is from all that is shown around a px of a region, in the planes' levels; 0 within it, Infinity where nothing is shown. */
export type Beyond = (luma: number, i: number) => number;

/**
 * Tells lumas from what is shown in the 3 by 3 cells around a px, from the darkest to the brightest of it.
 * @param luma - Per px of the region; NaN where nothing is shown.
 */
export function shownAround(region: Region, luma: Float32Array): Beyond {
  const { cols, rows } = offsetGrid(region);
  const { width } = region.rect;
  const cellOf = (i: number): number => Math.floor(i / (width * CELL)) * cols + Math.floor((i % width) / CELL);
  const [low, high] = [new Float32Array(cols * rows).fill(Infinity), new Float32Array(cols * rows).fill(-Infinity)];
  for (let i = 0; i < luma.length; i++) {
    if (Number.isNaN(luma[i])) continue;
    const cell = cellOf(i);
    low[cell] = Math.min(low[cell], luma[i]);
    high[cell] = Math.max(high[cell], luma[i]);
  }
  const [darkest, brightest] = [around(low, cols, rows, Math.min), around(high, cols, rows, Math.max)];
  return (value, i) => {
    const cell = cellOf(i);
    return Math.max(0, darkest[cell] - value, value - brightest[cell]);
  };
}

/** Of each cell and those around it one value. */
function around(of: Float32Array, cols: number, rows: number, pick: (a: number, b: number) => number): Float32Array {
  const out = of.slice();
  for (let cell = 0; cell < of.length; cell++) {
    const [c, r] = [cell % cols, Math.floor(cell / cols)];
    for (let b = Math.max(0, r - 1); b <= Math.min(rows - 1, r + 1); b++) {
      for (let a = Math.max(0, c - 1); a <= Math.min(cols - 1, c + 1); a++)
        out[cell] = pick(out[cell], of[b * cols + a]);
    }
  }
  return out;
}
