import { components } from '../image/components.ts';
import type { Rect } from '../image/format.ts';

/** Tiles by which the parts of a hole are widened: what then touches is one part. */
const REACH = 2;
/** Parts beyond so many are not worth a look of their own. */
const MOST = 8;

/** A connected part of a region's hole. */
export interface HolePart {
  /** Tiles of the part and its rim: indices row·cols + col. */
  tiles: number[];
  /** Around its hole tiles, in tiles. */
  box: Rect;
}

/**
 * Parts of a hole that lie apart from one another, the largest first.
 *
 * @param active - cols·rows: 0 nothing, 1 rim, 2 hole.
 */
export function holeParts(active: Uint8Array, cols: number, rows: number): HolePart[] {
  const parts = components(widened(active, cols, rows), cols, rows).map((group) => ({
    tiles: group.filter((i) => active[i] > 0),
    box: boxOf(
      group.filter((i) => active[i] === 2),
      cols,
    ),
  }));
  return parts.sort((a, b) => b.tiles.length - a.tiles.length || a.tiles[0] - b.tiles[0]).slice(0, MOST);
}

function widened(active: Uint8Array, cols: number, rows: number): Uint8Array {
  const out = new Uint8Array(active.length);
  for (let r = 0; r < rows; r++) {
    for (let c = 0; c < cols; c++) {
      if (active[r * cols + c] !== 2) continue;
      const [left, right] = [Math.max(0, c - REACH), Math.min(cols, c + REACH + 1)];
      for (let y = Math.max(0, r - REACH); y <= Math.min(rows - 1, r + REACH); y++) {
        out.fill(1, y * cols + left, y * cols + right);
      }
    }
  }
  return out;
}

/** The up to four tiles beside a tile. */
export function neighbours(i: number, cols: number, rows: number): number[] {
  const [x, y] = [i % cols, Math.floor(i / cols)];
  const out: number[] = [];
  if (x > 0) out.push(i - 1);
  if (x + 1 < cols) out.push(i + 1);
  if (y > 0) out.push(i - cols);
  if (y + 1 < rows) out.push(i + cols);
  return out;
}

/** The least rectangle of tiles that holds some of a grid. */
export function boxOf(tiles: readonly number[], cols: number): Rect {
  const xs = tiles.map((i) => i % cols);
  const ys = tiles.map((i) => Math.floor(i / cols));
  const [x, y] = [Math.min(...xs), Math.min(...ys)];
  return { x, y, width: Math.max(...xs) - x + 1, height: Math.max(...ys) - y + 1 };
}
