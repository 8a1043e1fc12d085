import { median } from '../geometry/linear.ts';
import { dilated } from '../image/dilated.ts';
import { bytesOf } from '../image/mapped.ts';
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
export function strangeCells({ cols, rows }: Grid, differences: CellSums, unit: number, lit?: Uint8Array): Uint8Array {
  const { uneven, far } = farCells(differences, unit);
  return dilated(
    bytesOf(uneven, (v, i) => (v === 1 || (far[i] === 1 && lit?.[i] !== 1) ? 1 : 0)),
    cols,
    rows,
  );
}

/** The two kinds of {@link strangeCells}, without their neighbours: in which differences spread, and from whose usual mean theirs is far. */
export function farCells({ sum, squares, weight }: CellSums, unit: number): { uneven: Uint8Array; far: Uint8Array } {
  const known = [...weight.keys()].filter((i) => weight[i] > 0);
  const mean = (i: number): number => sum[i] / weight[i];
  const spread = (i: number): number => Math.sqrt(Math.max(0, squares[i] / weight[i] - mean(i) ** 2));
  const even = Math.max(TIMES * quartile(known.map(spread)), SPREAD_LEVELS * unit);
  const left = known.filter((i) => spread(i) <= even);
  const middle = median(left.map(mean));
  const sigma = MAD_TO_SIGMA * median(left.map((i) => Math.abs(mean(i) - middle)));
  const near = Math.max(TIMES * sigma, LEVELS * unit);
  const out = { uneven: new Uint8Array(weight.length), far: new Uint8Array(weight.length) };
  for (const i of known) {
    if (spread(i) > even) out.uneven[i] = 1;
    if (Math.abs(mean(i) - middle) > near) out.far[i] = 1;
  }
  return out;
}

const quartile = (values: number[]): number => [...values].sort((a, b) => a - b)[values.length >> 2] ?? 0;
