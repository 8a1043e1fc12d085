import { expect, it } from '@jest/globals';
import { cellAt } from './offsetGrid.ts';
import type { Region } from './region.ts';
import { ShownLuma, type Beyond } from './shownAround.ts';

/** One row of three tiles: dark on the left, from column 20 on bright, a speck at column 40; what lies right of it is not shown. */
const width = 48;
const luma = Float32Array.from({ length: width * 16 }, (_, i) => {
  const x = i % width;
  return x > 40 ? 0 : x === 40 ? 230 : x < 20 ? 50 : 150;
});
const region = { rect: { x: 0, y: 0, width, height: 16 }, cols: 3, rows: 1 } as Region;

/** By a luma and the column of a px. */
function beyondOf(isShown: (x: number) => boolean): (luma: number, x: number) => number {
  const shown = new ShownLuma(region);
  const mask = Uint8Array.from(luma, (_, i) => (isShown(i % width) ? 1 : 0));
  for (let from = 0; from < luma.length; from += 16) shown.add(luma, mask, from, from + 16, cellAt(region, from));
  const beyond: Beyond = shown.around();
  return (value, x) => beyond(value, cellAt(region, x));
}

it('says how far a luma is from all that is shown in the cells around a px', () => {
  const beyond = beyondOf((x) => x <= 40);
  expect(beyond(100, 4)).toBe(50);
  expect(beyond(30, 4)).toBe(20);
  // The edge is in the cell beside: what lies between its two sides is shown there.
  expect(beyond(100, 12)).toBe(0);
  expect(beyond(160, 12)).toBe(10);
  // The speck is in the last cells but one, which are around this one.
  expect(beyond(200, 47)).toBe(0);
  expect(beyond(200, 27)).toBe(50);
});

it('knows nothing where nothing is shown', () => {
  expect(beyondOf(() => false)(100, 4)).toBe(Infinity);
});
