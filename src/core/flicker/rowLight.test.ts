import { expect, it } from '@jest/globals';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import { panning } from '../testing/panning.ts';
import { BLACK, rowLightOf } from './rowLight.ts';

const [W, H, COUNT] = [96, 40, 12];
const lamp = (t: number, y: number): number => 0.08 * Math.sin(y / 5 + 2 * t);
const wall = (x: number, y: number): number => 100 + 40 * Math.sin(x / 7) + 20 * Math.cos(y / 3 + x / 11);
const lit = (t: number, x: number, y: number): number => BLACK + wall(x + 2 * t, y) * Math.exp(lamp(t, y));
const film = (sample: (t: number, x: number, y: number) => number): ReturnType<typeof paintedFrames> =>
  paintedFrames(smallFormat(W, H), COUNT, (x, y, _plane, t) => Math.min(255, Math.max(0, Math.round(sample(t, x, y)))));
const camera = panning(W, H, COUNT, 2);
const free = (): boolean => false;

it('rows are compared with the same places in frames around', () => {
  const { pairs } = rowLightOf(film(lit), camera, 6, free);
  expect(pairs.map(({ other }) => other)).toEqual([5, 7, 4, 8, 3, 9, 1, 11]);
  for (const { other, left, right, rows } of pairs) {
    expect(rows[7]).toBeCloseTo(7, 4);
    for (let y = 1; y < H - 1; y++) {
      const light = lamp(6, y) - lamp(other, y);
      expect(Math.abs(left[y] - light)).toBeLessThan(0.015);
      expect(Math.abs(right[y] - light)).toBeLessThan(0.015);
    }
  }
});

it('what goes away, what is black and what is white do not count', () => {
  const isThing = (x: number): boolean => x >= 10 && x < 24;
  const crossed = film((t, x, y) => (isThing(x) ? 200 : y === 20 ? 20 : y === 22 ? 250 : lit(t, x, y)));
  const { pairs } = rowLightOf(crossed, camera, 6, (_t, x) => isThing(x));
  for (const { other, left } of pairs) {
    expect([left[20], left[22]]).toEqual([NaN, NaN]);
    expect(Math.abs(left[10] - lamp(6, 10) + lamp(other, 10))).toBeLessThan(0.02);
  }
  expect(rowLightOf(crossed, camera, 6, () => true).pairs[0].left.every(Number.isNaN)).toBe(true);
});
