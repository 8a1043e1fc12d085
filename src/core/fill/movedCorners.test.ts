import { expect, it } from '@jest/globals';
import { MovedCorners } from './movedCorners.ts';
import { RIM_TILE, TILE, type Region } from './region.ts';

it('moves the corners of the tiles that are wanted, once each, and leaves the others where they are', () => {
  const [cols, rows] = [3, 1];
  const region = {
    ...{ frame: 0, rect: { x: 32, y: 48, width: cols * TILE, height: rows * TILE }, cols, rows },
    active: new Uint8Array(cols * rows).fill(RIM_TILE),
  } as unknown as Region;
  let asked = 0;
  const moved = new MovedCorners(region, (tile) => tile > 0).by((places) => {
    asked = places.length / 2;
    for (let i = 0; i < places.length; i += 2) [places[i], places[i + 1]] = [places[i] + 5, places[i + 1] - 2];
  });
  // Two tiles side by side share two of their corners.
  expect(asked).toBe(6);
  const row = (y: number, by: number): number[] => [32, y, 48 + 5, y + by, 64 + 5, y + by, 80 + 5, y + by];
  expect([...moved]).toEqual([...row(48, -2), ...row(64, -2)]);
});
