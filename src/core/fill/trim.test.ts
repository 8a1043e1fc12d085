import { describe, expect, it } from '@jest/globals';
import type { ColourModel } from '../image/colourModel.ts';
import { isNothing, NO_TRIM, trimAt, trimMatrix, type Trim, type TrimKey } from './trim.ts';

const HD: ColourModel = { kind: 'ycc', kr: 0.2126, kb: 0.0722, full: false };
const RGB: ColourModel = { ...HD, kind: 'rgb', full: true };
const GREY: ColourModel = { ...HD, kind: 'grey' };

const trim = (more: Partial<Trim>): Trim => ({ ...NO_TRIM, ...more });
const key = (frame: number, more: Partial<TrimKey>): TrimKey => ({ frame, ease: 'linear', ...NO_TRIM, ...more });

/** A colour as stored, changed. */
function changed(colour: number[], by: Partial<Trim>, model = HD): number[] {
  const m = trimMatrix(trim(by), model);
  return [0, 1, 2].map((r) => m[3 * r] * colour[0] + m[3 * r + 1] * colour[1] + m[3 * r + 2] * colour[2]);
}

describe('a trim of colour', () => {
  it('that changes nothing is the identity, however colours are stored', () => {
    for (const model of [HD, RGB]) {
      expect([...trimMatrix(NO_TRIM, model)].map((v) => Math.round(v * 1e9) / 1e9 + 0)).toEqual([
        1, 0, 0, 0, 1, 0, 0, 0, 1,
      ]);
    }
    expect(trimMatrix(NO_TRIM, GREY)[0]).toBeCloseTo(1, 9);
  });

  it('of a stop doubles the light of a display whose gamma is 2.4, colour and all', () => {
    const [y, u, v] = changed([0.4, 0.1, -0.05], { exposure: 1 });
    expect((y / 0.4) ** 2.4).toBeCloseTo(2, 6);
    expect(u / 0.1).toBeCloseTo(y / 0.4, 6);
    expect(v / -0.05).toBeCloseTo(y / 0.4, 6);
    expect((changed([0.4, 0, 0], { exposure: 1 }, GREY)[0] / 0.4) ** 2.4).toBeCloseTo(2, 6);
  });

  it('takes colour out without a change of luma', () => {
    expect(changed([0.4, 0.1, -0.05], { saturation: 0 })).toEqual([
      expect.closeTo(0.4),
      expect.closeTo(0),
      expect.closeTo(0),
    ]);
    const [, u, v] = changed([0.4, 0.1, -0.05], { saturation: 200 });
    expect([u, v]).toEqual([expect.closeTo(0.2), expect.closeTo(-0.1)]);
  });

  it('warms, cools and tints a grey and keeps its light', () => {
    // Planes are G, B, R.
    const light = ([g, b, r]: number[]): number => 0.2126 * r ** 2.4 + 0.7152 * g ** 2.4 + 0.0722 * b ** 2.4;
    const grey = [0.5, 0.5, 0.5];
    const [warm, cool, magenta] = [{ warmth: 40 }, { warmth: -40 }, { tint: 50 }].map((t) => changed(grey, t, RGB));
    for (const colour of [warm, cool, magenta]) expect(light(colour)).toBeCloseTo(light(grey), 6);
    expect(warm[2]).toBeGreaterThan(warm[0]);
    expect(warm[0]).toBeGreaterThan(warm[1]);
    expect(cool[1]).toBeGreaterThan(cool[0]);
    expect(cool[0]).toBeGreaterThan(cool[2]);
    expect(magenta[2]).toBeGreaterThan(magenta[0]);
    expect(magenta[1]).toBeGreaterThan(magenta[0]);
  });

  it('of 96 mired makes white the daylight of 4000 K (its place by CIE 15: x 0.3823, y 0.3838)', () => {
    const [g, b, r] = changed([1, 1, 1], { warmth: 1e6 / 4000 - 1e6 / 6504 }, RGB).map((v) => v ** 2.4);
    const x = 0.4124564 * r + 0.3575761 * g + 0.1804375 * b;
    const y = 0.2126729 * r + 0.7151522 * g + 0.072175 * b;
    const z = 0.0193339 * r + 0.119192 * g + 0.9503041 * b;
    expect(x / (x + y + z)).toBeCloseTo(0.3823, 2);
    expect(y / (x + y + z)).toBeCloseTo(0.3838, 2);
  });
});

describe('a keyed trim', () => {
  it('is nothing without keys, holds at its ends and goes straight between', () => {
    expect(isNothing(trimAt([], 7))).toBe(true);
    const keys = [key(10, { exposure: 1, dx: 4 }), key(20, { exposure: 2 })];
    expect(trimAt(keys, 0)).toEqual(trim({ exposure: 1, dx: 4 }));
    expect(trimAt(keys, 15)).toEqual(trim({ exposure: 1.5, dx: 2 }));
    expect(trimAt(keys, 99)).toEqual(trim({ exposure: 2 }));
  });

  it('never leaves what an opacity can be, though a smooth curve would', () => {
    const keys = [
      key(0, { opacity: 0 }),
      key(10, { opacity: 100, ease: 'smooth' }),
      key(20, { opacity: 100 }),
      key(30, { opacity: 0 }),
    ];
    for (let t = 0; t <= 30; t++) expect(trimAt(keys, t).opacity).toBeLessThanOrEqual(100);
  });
});
