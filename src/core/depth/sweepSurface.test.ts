import { describe, expect, it } from '@jest/globals';
import { depthAt, type Surface } from './surfaces.ts';
import { sweepSurface } from './sweepSurface.ts';

/** Local places of four tiles. */
const TILES = [
  [-0.5, -0.5],
  [0.5, -0.5],
  [-0.5, 0.5],
  [0.5, 0.5],
];

/** Tiles that disagree by the squared distance from the true depth, on top of what grain makes. */
const around =
  (truth: Surface, grain = 0.01) =>
  (s: Surface): Float64Array =>
    Float64Array.from(TILES, ([u, v]) => grain + (depthAt(s, u, v) - depthAt(truth, u, v)) ** 2);

describe('sweepSurface', () => {
  it('brings depth and slopes to where the witnesses agree', () => {
    const truth = Float64Array.of(1.2, 0.4, -0.3);
    const found = sweepSurface(around(truth), Float64Array.of(0, 0, 0), 1);
    found.forEach((v, i) => expect(Math.abs(v - truth[i])).toBeLessThan(0.13));
  });

  it('leaves a surface where moving it would gain next to nothing', () => {
    const start = Float64Array.of(1, 0, 0);
    // Grain outweighs what is left: a hundredth less is no reason.
    expect(sweepSurface(around(Float64Array.of(1.2, 0, 0), 100), start, 1)).toBe(start);
  });

  it('is not drawn to where fewer tiles are seen', () => {
    const truth = Float64Array.of(0.5, 0, 0);
    const blind = (s: Surface): Float64Array => around(truth)(s).map((v, t) => (t > 0 && s[0] > 0.8 ? NaN : v));
    expect(sweepSurface(blind, Float64Array.of(0, 0, 0), 1)[0]).toBeCloseTo(0.5, 1);
  });

  it('does nothing where nobody sees anything', () => {
    const start = Float64Array.of(1, 2, 3);
    expect(sweepSurface(() => new Float64Array(3).fill(NaN), start, 1)).toBe(start);
  });
});
