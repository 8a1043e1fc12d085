import type { Grid } from './membrane.ts';
import { TILE, type Region } from './region.ts';

/** Cells of the offset grid per tile side: a cell is 8 luma px. */
export const CELLS_PER_TILE = 2;
export const CELL = TILE / CELLS_PER_TILE;

export function offsetGrid(region: Region): Grid {
  return { cols: region.cols * CELLS_PER_TILE, rows: region.rows * CELLS_PER_TILE };
}

/** The cell in which a px of a region lies. */
export const cellAt = ({ rect: { width }, cols }: Region, i: number): number =>
  Math.floor(i / (width * CELL)) * cols * CELLS_PER_TILE + Math.floor((i % width) / CELL);

/** The cells in which places lie, frame px, interleaved; those off the grid are left out. */
export function cellsAt(region: Region, places: ArrayLike<number>): Set<number> {
  const { cols, rows } = offsetGrid(region);
  const { x, y } = region.rect;
  const out = new Set<number>();
  for (let k = 0; k < places.length; k += 2) {
    const [c, r] = [Math.floor((places[k] - x) / CELL), Math.floor((places[k + 1] - y) / CELL)];
    if (c >= 0 && r >= 0 && c < cols && r < rows) out.add(r * cols + c);
  }
  return out;
}

/** Middles of cells of the offset grid, frame px, interleaved. */
export function middlesOf(region: Region, cells: Iterable<number>): number[] {
  const { cols } = offsetGrid(region);
  const { x, y } = region.rect;
  return [...cells].flatMap((c) => [x + (c % cols) * CELL + CELL / 2, y + Math.floor(c / cols) * CELL + CELL / 2]);
}
