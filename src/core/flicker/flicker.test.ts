import { describe, expect, it } from '@jest/globals';
import { flickerOf, flickers, lightAt } from './flicker.ts';
import type { RowLight } from './rowLight.ts';

const [COUNT, BANDS] = [40, 24];
/** Bands that wander up the picture by a third and a bit of their height per frame. */
const lamp = (t: number, k: number): number => 0.08 * Math.sin(2 * Math.PI * (k / 14 + 0.37 * t));

/** What frames show of one another. @param light - Of a frame's row. @param dy - Rows by which a frame lies below the first. */
function measured(
  light: (t: number, k: number, half: 'left' | 'right') => number,
  dy: (t: number) => number = () => 0,
): RowLight[] {
  return Array.from({ length: COUNT }, (_, frame) => {
    const others = [-5, -3, -2, -1, 1, 2, 3, 5].map((d) => frame + d).filter((s) => s >= 0 && s < COUNT);
    const pairs = others.map((other) => {
      const rows = Float32Array.from({ length: BANDS }, (_, k) => k + dy(other) - dy(frame));
      const of = (half: 'left' | 'right'): Float32Array =>
        rows.map((row, k) => light(frame, k, half) - light(other, row, half));
      return { other, rows, left: of('left'), right: of('right') };
    });
    return { frame, pairs };
  });
}

describe('lamps', () => {
  it('flicker where rows are lighter and darker all over the picture', () => {
    expect(flickers(measured(lamp))).toBe(true);
  });

  it('do not where light changes on one side, or all over the picture at once, or hardly', () => {
    expect(flickers(measured((t, k, half) => (half === 'left' ? lamp(t, k) : 0)))).toBe(false);
    expect(flickers(measured((t) => 0.2 * Math.sin(t)))).toBe(false);
    expect(flickers(measured((t, k) => 0.05 * lamp(t, k)))).toBe(false);
    expect(flickers([])).toBe(false);
  });

  it('do not where single rows differ, as edges of boards do', () => {
    expect(flickers(measured((t, k) => 0.05 * Math.sin(t) * (-1) ** Math.round(k)))).toBe(false);
  });

  it('do not where next to nothing is known of the rows', () => {
    const rows = measured((t, k) => (k % 3 === 0 ? lamp(t, k) : NaN));
    expect(flickers(rows)).toBe(false);
  });
});

describe('the light of lamps that flicker', () => {
  /** The largest error but for what all rows of a frame have, in all frames. */
  const errorOf = (rows: RowLight[]): number => {
    const { light } = flickerOf(rows, 10, BANDS);
    const errors = light.flatMap((bands, t) => {
      const off = [...bands].map((v, k) => v - lamp(t, k));
      const mean = off.reduce((sum, v) => sum + v, 0) / BANDS;
      return off.map((v) => Math.abs(v - mean));
    });
    return Math.max(...errors);
  };

  it('is told by pairs of frames, however the camera tilts', () => {
    expect(errorOf(measured(lamp))).toBeLessThan(0.02);
    expect(errorOf(measured(lamp, (t) => 2 * Math.sin(t / 4)))).toBeLessThan(0.03);
  });

  it('goes on over rows that are not known', () => {
    expect(errorOf(measured((t, k) => (Math.round(k) === 9 ? NaN : lamp(t, k))))).toBeLessThan(0.02);
  });

  it('goes evenly from the middle of one band to that of the next', () => {
    const flicker = { step: 10, light: [Float32Array.of(0, 1, 3)] };
    expect([0, 4.5, 9.5, 14.5, 19.5, 29].map((row) => lightAt(flicker, 0, row))).toEqual([0, 0, 0.5, 1, 2, 3]);
  });
});
