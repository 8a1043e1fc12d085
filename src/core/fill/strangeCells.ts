import { median } from '../geometry/linear.ts';
import type { Grid } from './membrane.ts';
import type { CellSums } from './smoothField.ts';

/** A cell is strange beyond so many times what is usual, and so many 8-bit levels. */
const TIMES = 4;
const LEVELS = 4;
/** Normal deviations per median absolute deviation. */
const MAD_TO_SIGMA = 1.4826;

/**
 * Cells in which something else is seen than what is laid beside it, and their neighbours: what passes before the border
 * just now must not count as light. Told by the mean difference, and by how large differences are whatever their sign.
 *
 * @param differences - Of luma.
 * @param sizes - The same without their signs.
 * @param unit - Sample units per 8-bit level.
 * @returns 1 where a cell is to be left out; nowhere, if that would be most of them.
 */
export function strangeCells({ cols, rows }: Grid, differences: CellSums, sizes: CellSums, unit: number): Uint8Array {
  const known = [...differences.weight.keys()].filter((i) => differences.weight[i] > 0);
  const out = new Uint8Array(cols * rows);
  for (const { sum, weight } of [differences, sizes]) {
    const means = known.map((i) => sum[i] / weight[i]);
    const middle = median(means);
    const sigma = MAD_TO_SIGMA * median(means.map((m) => Math.abs(m - middle)));
    const limit = Math.max(TIMES * sigma, LEVELS * unit);
    known.forEach((i, k) => {
      if (Math.abs(means[k] - middle) > limit) out[i] = 1;
    });
  }
  const wide = dilated(out, cols, rows);
  return known.filter((i) => wide[i] === 1).length > known.length / 2 ? out.fill(0) : wide;
}

function dilated(mask: Uint8Array, cols: number, rows: number): Uint8Array {
  const out = mask.slice();
  for (let y = 0, i = 0; y < rows; y++) {
    for (let x = 0; x < cols; x++, i++) {
      if (mask[i] === 0) continue;
      for (let b = Math.max(0, y - 1); b <= Math.min(rows - 1, y + 1); b++) {
        for (let a = Math.max(0, x - 1); a <= Math.min(cols - 1, x + 1); a++) out[b * cols + a] = 1;
      }
    }
  }
  return out;
}
