import { describe, expect, it } from '@jest/globals';
import { randomFrom } from '../testing/random.ts';
import { rasterDistance } from './rasterDistance.ts';

const rect = (width: number, height: number) => ({ x: 0, y: 0, width, height });
const painted = (w: number, h: number, of: (x: number, y: number) => number): Float32Array =>
  Float32Array.from({ length: w * h }, (_, i) => of(i % w, Math.floor(i / w)));

/** The distance of each px to the nearest of the other kind, by looking at all of them. */
function lookedUp(cover: Float32Array, w: number, reach: number): number[] {
  return Array.from(cover, (c, i) => {
    let least = Infinity;
    cover.forEach((other, j) => {
      if (other >= 0.5 === c >= 0.5) return;
      least = Math.min(least, Math.hypot((i % w) - (j % w), Math.floor(i / w) - Math.floor(j / w)));
    });
    const d = Math.min(reach, least - 0.5);
    return c >= 0.5 ? -d : d;
  });
}

describe('distance from a raster', () => {
  it('is in px from the line between two px, below 0 inside', () => {
    const d = rasterDistance(
      painted(9, 1, (x) => (x < 4 ? 1 : 0)),
      rect(9, 1),
      3,
    );
    expect([...d]).toEqual([-3, -2.5, -1.5, -0.5, 0.5, 1.5, 2.5, 3, 3]);
  });

  it('is that of the nearest px across in every direction', () => {
    const random = randomFrom(6);
    for (const share of [-0.4, 0, 0.45]) {
      const [w, h] = [31, 22];
      const cover = painted(w, h, () => (random() > share ? 1 : 0));
      const found = [...rasterDistance(cover, rect(w, h), 6)];
      lookedUp(cover, w, 6).forEach((d, i) => expect(found[i]).toBeCloseTo(d, 5));
    }
  });

  it('is that of a disc, within what px are', () => {
    const [w, h, r] = [61, 61, 18];
    const d = rasterDistance(
      painted(w, h, (x, y) => (Math.hypot(x - 30, y - 30) <= r ? 1 : 0)),
      rect(w, h),
      10,
    );
    d.forEach((v, i) => {
      const truly = Math.hypot((i % w) - 30, Math.floor(i / w) - 30) - r;
      expect(Math.abs(v - Math.max(-10, Math.min(10, truly)))).toBeLessThan(0.75);
    });
  });

  it('takes the px at the line at their word', () => {
    // A line that lies at 3.8: the px at 3 is covered by 0.8 of itself, from its left side at 2.5 on, and more.
    const d = rasterDistance(
      painted(7, 3, (x) => (x < 3 ? 1 : x === 3 ? 0.8 : 0)),
      rect(7, 3),
      5,
    );
    expect(d[3]).toBeCloseTo(-0.3, 5);
    expect(d[4]).toBeCloseTo(0.5, 5);
  });

  it('is the reach where all is one kind, and empty where there is nothing', () => {
    expect(new Set(rasterDistance(new Float32Array(12), rect(4, 3), 7))).toEqual(new Set([7]));
    expect(new Set(rasterDistance(new Float32Array(12).fill(1), rect(4, 3), 7))).toEqual(new Set([-7]));
    expect(rasterDistance(new Float32Array(0), rect(0, 0), 7)).toHaveLength(0);
  });
});
