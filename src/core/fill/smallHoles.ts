import { components } from '../image/components.ts';
import { TILE, type Region } from './region.ts';

/**
 * Tiles of the holes of a region that are nowhere thicker than so many px, across or down: dots, wires, scratches.
 *
 * @param tiles - 1 for those with px of holes; holes whose tiles touch count as one.
 * @param px - 1 for those px, per luma px of the region.
 */
export function smallHoles({ cols, rows }: Region, tiles: Uint8Array, px: Uint8Array, most: number): Uint8Array {
  const out = new Uint8Array(tiles.length);
  for (const group of components(tiles, cols, rows)) {
    if (!isThick(group, cols, px, most)) for (const tile of group) out[tile] = 1;
  }
  return out;
}

/** Whether there is a px that has more than so many on its line both across and down. */
function isThick(group: readonly number[], cols: number, px: Uint8Array, most: number): boolean {
  const width = cols * TILE;
  for (const tile of group) {
    const first = Math.floor(tile / cols) * TILE * width + (tile % cols) * TILE;
    for (let y = 0; y < TILE; y++) {
      for (let i = first + y * width; i < first + y * width + TILE; i++) {
        if (px[i] === 1 && runExceeds(px, i, 1, most) && runExceeds(px, i, width, most)) return true;
      }
    }
  }
  return false;
}

function runExceeds(px: Uint8Array, at: number, step: number, most: number): boolean {
  let n = 1;
  for (let i = at - step; px[i] === 1 && n <= most; i -= step) n++;
  for (let i = at + step; px[i] === 1 && n <= most; i += step) n++;
  return n > most;
}
