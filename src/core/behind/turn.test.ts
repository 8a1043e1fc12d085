import { describe, expect, it } from '@jest/globals';
import { identity3, type Matrix3 } from '../geometry/homography.ts';
import { smallFormat } from '../testing/frames.ts';
import type { BodyLayer } from './cutBody.ts';
import { enlargedTurn, inverse, turnedBody, turnedLayer, turnedRect, turnOf } from './turn.ts';

const SIZE = { width: 20, height: 40 };
const PIVOT = { x: 10, y: 20 };
const linear = (xx: number, xy: number, yx: number, yy: number): Matrix3 =>
  Float64Array.of(xx, xy, 0, yx, yy, 0, 0, 0, 1);

describe('how a camera turns a body', () => {
  it('is told by what turns both ways, and how much is enlarged both ways', () => {
    const [c, s] = [Math.cos(0.1), Math.sin(0.1)];
    const rolled = turnOf(linear(c, -s, s, c), PIVOT, SIZE)!;
    expect(rolled.re).toBeCloseTo(c, 6);
    expect(rolled.im).toBeCloseTo(s, 6);
    expect(turnOf(linear(1.1, 0, 0, 1.1), PIVOT, SIZE)).toMatchObject({ re: expect.closeTo(1.1, 6), im: 0 });
    // Nearly upside down, as under a drone.
    expect(turnOf(linear(-c, -s, s, -c), PIVOT, SIZE)!.re).toBeCloseTo(-c, 6);
  });

  it('is not told by ground that shears as the camera travels, nor by what hardly turns', () => {
    expect(turnOf(linear(1, 0.2, 0, 1), PIVOT, SIZE)).toBeUndefined();
    expect(turnOf(linear(1, 0, -0.2, 1.02), PIVOT, SIZE)).toBeUndefined();
    expect(turnOf(identity3(), PIVOT, SIZE)).toBeUndefined();
    expect(turnOf(linear(8, 0, 0, 9), PIVOT, SIZE)).toBeUndefined();
    expect(turnOf(linear(1, -0.005, 0.005, 1), PIVOT, SIZE)).toBeUndefined();
  });
});

describe('a turned picture', () => {
  /** A quarter to the right about (10, 20): what lies above the pivot comes to lie to the right of it. */
  const quarter = { pivot: PIVOT, re: 0, im: 1 };

  it('has a body where it is turned to', () => {
    const mask = { x: 10, y: 10, width: 1, height: 11, data: new Uint8Array(11).fill(1) };
    const body = { mask, places: Int16Array.of(10, 10, 10, 20), values: new Uint8Array(6) };
    const turned = turnedBody(body, quarter);
    expect([...turned.places]).toEqual([20, 20, 10, 20]);
    expect(turned.mask).toMatchObject({ x: 10, y: 20, width: 11, height: 1 });
    expect([...turned.mask.data]).toEqual(new Array(11).fill(1));
    expect(turnedBody(body, undefined)).toBe(body);
  });

  it('is turned back by its inverse, enlarged or not', () => {
    const turn = { pivot: PIVOT, re: 1.2, im: 0.3 };
    const { re, im } = inverse(turn);
    expect(turn.re * re - turn.im * im).toBeCloseTo(1, 9);
    expect(turn.re * im + turn.im * re).toBeCloseTo(0, 9);
    expect(enlargedTurn(turn, 4)).toEqual({ pivot: { x: 41.5, y: 81.5 }, re: 1.2, im: 0.3 });
    expect(turnedRect({ x: 10, y: 10, width: 1, height: 11 }, quarter)).toEqual({ x: 10, y: 20, width: 11, height: 1 });
  });

  it('shows a layer as a turned camera does, colours where luma is', () => {
    const [side, format] = [64, smallFormat(64, 64, true)];
    // A soft blob 12 px above the middle.
    const blob = (x: number, y: number): number => Math.exp(-((x - 31.5) ** 2 + (y - 19.5) ** 2) / 40);
    const plane = (step: number): BodyLayer['planes'][number] => {
      const n = side / step;
      const at = (i: number): number =>
        blob((i % n) * step + (step - 1) / 2, Math.floor(i / n) * step + (step - 1) / 2);
      return {
        keep: Float32Array.from({ length: n * n }, (_, i) => 1 - at(i)),
        add: Float32Array.from({ length: n * n }, (_, i) => 100 * at(i)),
      };
    };
    const layer = { rect: { x: 0, y: 0, width: side, height: side }, planes: [plane(1), plane(2), plane(2)] };
    const turned = turnedLayer(layer, { pivot: { x: 31.5, y: 31.5 }, re: Math.cos(0.5), im: Math.sin(0.5) }, format);
    const [x, y] = [31.5 + 12 * Math.sin(0.5), 31.5 - 12 * Math.cos(0.5)];
    turned.planes.forEach(({ keep, add }, p) => {
      const step = format.planes[p].stepX;
      const n = turned.rect.width / step;
      let most = 0;
      keep.forEach((k, i) => {
        const [u, v] = [
          (i % n) * step + (step - 1) / 2 + turned.rect.x,
          Math.floor(i / n) * step + (step - 1) / 2 + turned.rect.y,
        ];
        const weight = Math.exp(-((u - x) ** 2 + (v - y) ** 2) / 40);
        most = Math.max(most, Math.abs(1 - weight - k), Math.abs(100 * weight - add[i]) / 100);
      });
      expect(most).toBeLessThan(p === 0 ? 0.01 : 0.03);
    });
  });
});
