import { describe, expect, it } from '@jest/globals';
import { RIM_TILE, TILE, type Region } from './region.ts';
import { lostDetail, meansOf, rimWindows, windowsOf } from './rimWindows.ts';

const SIDE = 2 * TILE;
const region: Region = {
  frame: 0,
  rect: { x: 0, y: 0, width: SIDE, height: SIDE },
  cols: 2,
  rows: 2,
  active: Uint8Array.of(RIM_TILE, RIM_TILE, 0, RIM_TILE),
  alpha: new Uint8Array(SIDE * SIDE),
  known: Uint8Array.from({ length: SIDE * SIDE }, (_, i) => (i % SIDE < 8 ? 0 : 1)),
};

describe('windows of the rim', () => {
  it('are nine known px each, around a known one of an active tile, about as many as asked', () => {
    const px = rimWindows(region, 20);
    expect(px.length % 9).toBe(0);
    expect(Math.abs(px.length / 9 - 20)).toBeLessThanOrEqual(1);
    for (let k = 0; k < px.length; k += 9) {
      const at = px[k + 4];
      expect([...px.subarray(k, k + 9)].map((i) => i - at)).toEqual(
        [-2 * SIDE, 0, 2 * SIDE].flatMap((row) => [row - 2, row, row + 2]),
      );
      expect(at % SIDE).toBeGreaterThanOrEqual(10);
    }
    expect([...px].every((i) => region.known[i] === 1)).toBe(true);
    expect(rimWindows({ ...region, known: new Uint8Array(SIDE * SIDE) }, 20)).toHaveLength(0);
  });

  it('count if six of their px are shown, with mean and variance of these', () => {
    const points = [0, 1, 2, 3, 4, 5, /* of the second too few */ 9, 10, 11, 12, 13, 18, 19, 20, 21, 22, 23, 24];
    const windows = windowsOf(
      points,
      points.map((_, k) => k),
    );
    expect(windows.ends).toEqual([0, 6, 11, 18]);
    const values = Float32Array.from([1, 1, 1, 3, 3, 3, 9, 9, 9, 9, 9, 5, 5, 5, 5, 5, 5, 5]);
    expect([...meansOf(values, windows)]).toEqual([2, 5]);
  });

  it('say by their median how much detail is lost, if enough of them show the same', () => {
    const count = 30;
    const places = Int32Array.from({ length: 6 * count }, (_, k) => k);
    const windows = windowsOf(
      places.map((k) => 9 * Math.floor(k / 6) + (k % 6)),
      places,
    );
    expect(windows.ends).toHaveLength(2 * count);
    const stripes = (contrast: number): Float32Array =>
      Float32Array.from(places, (k) => 100 + contrast * (k % 2 === 0 ? 1 : -1));
    const soft = stripes(1);
    expect(lostDetail(soft, stripes(3), windows)).toBeCloseTo(0.8 * 9 - 1, 4);
    expect(lostDetail(stripes(3), soft, windows)).toBeCloseTo(0.8 - 9, 4);
    // In two thirds of the windows somebody in plain clothes stands.
    const hidden = soft.map((v, k) => (Math.floor(k / 6) % 3 === 0 ? v : 100));
    expect(lostDetail(hidden, stripes(3), windows)).toBe(0);
  });
});
