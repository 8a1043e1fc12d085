import { expect, it } from '@jest/globals';
import { BlockedCells } from './blockedCells.ts';

/** Two frames of 3 by 2 cells of 8 px; of the second the one at the lower right is blocked. */
const cells = new BlockedCells(3, 2, 8, Uint8Array.of(0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 1));

it('tells places of a frame by their cells, beyond the frame by the nearest one', () => {
  const places = [
    [15.9, 8],
    [16, 7.9],
    [16, 8],
    [900, 900],
    [-900, 900],
  ];
  expect(places.map(([x, y]) => cells.has(1, x, y))).toEqual([false, false, true, true, false]);
  expect(cells.has(0, 16, 8)).toBe(false);
  expect([...cells.of(1)]).toEqual([0, 0, 0, 0, 0, 1]);
});
