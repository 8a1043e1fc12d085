import { describe, expect, it } from '@jest/globals';
import { randomFrom } from '../src/core/testing/random.ts';
import { bilinear, blur1, cropMask, cropPicture, dilateMask, laplacian, partAround, type Picture } from './picture.ts';

const painted = (width: number, height: number, of: (x: number, y: number) => number): Picture => ({
  width,
  height,
  values: Float32Array.from({ length: width * height }, (_, i) => of(i % width, Math.floor(i / width))),
});

describe('parts of a picture', () => {
  const mask = new Uint8Array(40 * 30);
  mask[12 * 40 + 21] = 1;
  mask[15 * 40 + 23] = 1;

  it('lie around what is set, widened, on a corner of the grid, inside the picture', () => {
    expect(partAround(mask, 40, 30, 2, 8)).toEqual({ x: 16, y: 8, width: 10, height: 10 });
    expect(partAround(mask, 40, 30, 100, 8)).toEqual({ x: 0, y: 0, width: 40, height: 30 });
  });

  it('are cut out of masks and pictures alike', () => {
    const part = { x: 16, y: 8, width: 10, height: 10 };
    const cut = cropMask(mask, 40, part);
    expect([...cut].flatMap((v, i) => (v ? [i] : []))).toEqual([4 * 10 + 5, 7 * 10 + 7]);
    const p = cropPicture(
      painted(40, 30, (x, y) => 100 * y + x),
      part,
    );
    expect([p.width, p.height, p.values[0], p.values[99]]).toEqual([10, 10, 816, 1725]);
  });
});

describe('filters', () => {
  it('blur by one px: an even picture stays, a point spreads as the bell curve does', () => {
    expect(blur1(painted(12, 9, () => 7)).values.every((v) => Math.abs(v - 7) < 1e-4)).toBe(true);
    const p = blur1(painted(15, 15, (x, y) => (x === 7 && y === 7 ? 1 : 0)));
    expect(p.values.reduce((a, b) => a + b)).toBeCloseTo(1, 5);
    expect(p.values[7 * 15 + 8] / p.values[7 * 15 + 7]).toBeCloseTo(Math.exp(-0.5), 5);
    expect(p.values[9 * 15 + 7] / p.values[7 * 15 + 7]).toBeCloseTo(Math.exp(-2), 5);
  });

  it('sample between px, and beyond the border as far as the last one goes on', () => {
    const p = painted(10, 10, (x, y) => 3 * x + 5 * y);
    expect(bilinear(p, 2.25, 6.5)).toBeCloseTo(3 * 2.25 + 5 * 6.5, 5);
    expect(bilinear(p, 9, 9)).toBeCloseTo(72, 5);
  });

  it('see nothing in a slope, and four times a point', () => {
    const slope = painted(9, 9, (x, y) => 2 * x - y);
    expect(laplacian(slope, 4 * 9 + 4)).toBeCloseTo(0, 5);
    const point = painted(9, 9, (x, y) => (x === 4 && y === 4 ? 1 : 0));
    expect([laplacian(point, 4 * 9 + 4), laplacian(point, 4 * 9 + 5), laplacian(point, 5 * 9 + 5)]).toEqual([4, -1, 0]);
  });

  it('widen a mask by a square, as looking at each px would', () => {
    const random = randomFrom(4);
    const [w, h, r] = [23, 17, 3];
    const mask = Uint8Array.from({ length: w * h }, () => (random() > 0.47 ? 1 : 0));
    const near = (x: number, y: number): number => {
      for (let b = Math.max(0, y - r); b <= Math.min(h - 1, y + r); b++)
        for (let a = Math.max(0, x - r); a <= Math.min(w - 1, x + r); a++) if (mask[b * w + a]) return 1;
      return 0;
    };
    expect([...dilateMask(mask, w, h, r)]).toEqual(Array.from(mask, (_, i) => near(i % w, Math.floor(i / w))));
  });
});
