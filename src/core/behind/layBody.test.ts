import { describe, expect, it } from '@jest/globals';
import type { Region } from '../fill/region.ts';
import { smallFormat } from '../testing/frames.ts';
import type { BodyLayer } from './cutBody.ts';
import { fitWay, hideBehind, type Beside } from './fitWay.ts';
import { layBody } from './layBody.ts';

const SIDE = 64;
const FORMAT = smallFormat(SIDE, SIDE);
/** A soft blob of 200 around (32, 32), at frame px (100, 50) and on. */
const weight = (x: number, y: number): number => Math.exp(-((x - 32) ** 2 + (y - 32) ** 2) / 60);
const layer: BodyLayer = {
  rect: { x: 100, y: 50, width: SIDE, height: SIDE },
  planes: [
    {
      keep: Float32Array.from({ length: SIDE * SIDE }, (_, i) => 1 - weight(i % SIDE, Math.floor(i / SIDE))),
      add: Float32Array.from({ length: SIDE * SIDE }, (_, i) => 200 * weight(i % SIDE, Math.floor(i / SIDE))),
    },
  ],
};
const region: Region = {
  frame: 9,
  rect: { x: 96, y: 48, width: SIDE, height: SIDE },
  cols: 4,
  rows: 4,
  active: new Uint8Array(16).fill(2),
  alpha: new Uint8Array(SIDE * SIDE),
  known: Uint8Array.from({ length: SIDE * SIDE }, (_, i) => (i % SIDE > 30 ? 1 : 0)),
};
const background = Float32Array.from(
  { length: SIDE * SIDE },
  (_, i) => 60 + 20 * Math.sin(i % SIDE) * Math.cos(i / SIDE),
);
const beside = (own: Float32Array): Beside => ({ region, known: region.known.slice(), own, background });
const laid = (x: number, y: number): Float32Array => {
  const out = background.slice();
  layBody(layer, { x, y }, region, FORMAT, [out]);
  return out;
};

describe('a body', () => {
  it('is laid where its way leads, between px too', () => {
    const out = laid(-6.5, 3.25);
    // The blob's middle is at (132, 82) in its frame, (125.5, 85.25) here, (29.5, 37.25) in the region.
    for (const [x, y] of [
      [29, 37],
      [33, 35],
      [25, 41],
    ]) {
      const w = weight(x + 2.5, y - 5.25);
      const i = y * SIDE + x;
      expect(Math.abs(out[i] - (background[i] * (1 - w) + 200 * w))).toBeLessThan(1);
    }
  });

  it('leaves alone what it does not reach', () => {
    expect(laid(500, 0)).toEqual(background);
    expect(laid(-6.5, 3.25)[0]).toBe(background[0]);
  });

  it('is fitted to what is seen of it beside the hole', () => {
    const own = laid(2.3, -1.6);
    const fitted = fitWay(layer, { x: 0, y: 0 }, 4, beside(own))!;
    expect(fitted.x).toBeCloseTo(2.3, 0);
    expect(fitted.y).toBeCloseTo(-1.6, 0);
  });

  it('is not there if what is beside the hole shows the background alone', () => {
    expect(fitWay(layer, { x: 0, y: 0 }, 4, beside(background))).toBeUndefined();
  });

  it('hides whoever is farther away', () => {
    const here = beside(background);
    hideBehind(layer, { x: 0, y: 0 }, here);
    expect(here.known.filter(Boolean).length).toBeLessThan(region.known.filter(Boolean).length - 100);
    // Then nothing speaks against somebody behind it.
    expect(fitWay(layer, { x: 0, y: 0 }, 4, here)).toEqual({ x: 0, y: 0 });
  });

  it('stays where it was expected if nothing is seen of it', () => {
    const away = { x: -40, y: 0 };
    expect(fitWay(layer, away, 4, beside(background))).toEqual(away);
  });
});
