import type { Grid } from './membrane.ts';
import { TILE, type Region } from './region.ts';

/** Cells of the offset grid per tile side: a cell is 8 luma px. */
export const CELLS_PER_TILE = 2;
export const CELL = TILE / CELLS_PER_TILE;

export function offsetGrid(region: Region): Grid {
  return { cols: region.cols * CELLS_PER_TILE, rows: region.rows * CELLS_PER_TILE };
}

/** Middles of cells of the offset grid, frame px, interleaved. */
export function middlesOf(region: Region, cells: Iterable<number>): number[] {
  const { cols } = offsetGrid(region);
  const { x, y } = region.rect;
  return [...cells].flatMap((c) => [x + (c % cols) * CELL + CELL / 2, y + Math.floor(c / cols) * CELL + CELL / 2]);
}
