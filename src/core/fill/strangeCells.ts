import { median } from '../geometry/linear.ts';
import { dilated } from '../image/dilated.ts';
import type { Grid } from './membrane.ts';
import type { CellSums } from './smoothField.ts';

/** A cell is strange beyond so many times what is usual, and so many 8-bit levels. */
const TIMES = 4;
const LEVELS = 4;
/** Spread within a cell that light and grain do not make, 8-bit levels. */
const SPREAD_LEVELS = 6;
/** Normal deviations per median absolute deviation. */
const MAD_TO_SIGMA = 1.4826;

/**
 * Cells in which something else is seen than what is laid beside it, and their neighbours: what stands or passes before
 * the border must not count as light. Told first by how much the differences spread within a cell, compared with the evener
 * cells (a thing may stand along most of the border), then by their mean, compared with the cells that are left.
 *
 * @param differences - Of one plane.
 * @param unit - Sample units per 8-bit level.
 * @param lit - 1 where the mean tells nothing, for the light is another ({@link relight}).
 * @returns 1 where a cell is to be left out.
 */
export function strangeCells(
  { cols, rows }: Grid,
  { sum, squares, weight }: CellSums,
  unit: number,
  lit?: Uint8Array,
): Uint8Array {
  const known = [...weight.keys()].filter((i) => weight[i] > 0);
  const mean = (i: number): number => sum[i] / weight[i];
  const spread = (i: number): number => Math.sqrt(Math.max(0, squares[i] / weight[i] - mean(i) ** 2));
  const even = Math.max(TIMES * quartile(known.map(spread)), SPREAD_LEVELS * unit);
  const left = known.filter((i) => spread(i) <= even);
  const middle = median(left.map(mean));
  const sigma = MAD_TO_SIGMA * median(left.map((i) => Math.abs(mean(i) - middle)));
  const near = Math.max(TIMES * sigma, LEVELS * unit);
  const isFar = (i: number): boolean => lit?.[i] !== 1 && Math.abs(mean(i) - middle) > near;
  const out = new Uint8Array(cols * rows);
  for (const i of known) if (spread(i) > even || isFar(i)) out[i] = 1;
  return dilated(out, cols, rows);
}

const quartile = (values: number[]): number => [...values].sort((a, b) => a - b)[values.length >> 2] ?? 0;
