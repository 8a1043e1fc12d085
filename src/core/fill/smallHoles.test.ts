import { describe, expect, it } from '@jest/globals';
import { TILE, type Region } from './region.ts';
import { smallHoles } from './smallHoles.ts';

const [COLS, ROWS] = [6, 4];
const region = { cols: COLS, rows: ROWS } as Region;

/** The tiles of small holes, by their numbers. */
function found(isHole: (x: number, y: number) => boolean, most: number): number[] {
  const width = COLS * TILE;
  const px = new Uint8Array(width * ROWS * TILE);
  const tiles = new Uint8Array(COLS * ROWS);
  for (let i = 0; i < px.length; i++) {
    const [x, y] = [i % width, Math.floor(i / width)];
    if (!isHole(x, y)) continue;
    px[i] = 1;
    tiles[Math.floor(y / TILE) * COLS + Math.floor(x / TILE)] = 1;
  }
  const small = smallHoles(region, tiles, px, most);
  return [...small.keys()].filter((k) => small[k] === 1);
}

describe('smallHoles', () => {
  const [cx, cy] = [TILE * 1.5, TILE * 1.5];

  it('are dots, up to their size', () => {
    const dot = (x: number, y: number): boolean => Math.hypot(x - cx, y - cy) <= 5;
    expect(found(dot, 11)).toEqual([COLS + 1]);
    expect(found(dot, 10)).toEqual([]);
  });

  it('are wires, however long', () => {
    expect(found((x, y) => y >= 20 && y < 24 && x > 2 && x < COLS * TILE - 3, 6)).toHaveLength(COLS);
    expect(found((x, y) => Math.abs(x - y - 4) < 3 && y > 2 && y < ROWS * TILE - 3, 8).length).toBeGreaterThan(ROWS);
  });

  it('are told by group: a large one beside them changes nothing', () => {
    const dot = (x: number, y: number): boolean => Math.hypot(x - 8, y - 8) <= 3;
    const block = (x: number): boolean => x >= 3 * TILE && x < 5 * TILE - 3;
    expect(found((x, y) => dot(x, y) || (block(x) && y > 3 && y < ROWS * TILE - 3), 10)).toEqual([0]);
  });
});
