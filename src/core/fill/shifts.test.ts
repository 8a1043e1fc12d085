import { beforeAll, describe, expect, it } from '@jest/globals';
import type { Kernels } from '../../kernels/index.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import { randomFrom } from '../testing/random.ts';
import { alignShifts } from './alignShifts.ts';
import { patchSets, type Incomplete } from './patches.ts';
import { frequentShifts, repeats } from './repeats.ts';
import { shiftMap } from './shiftMap.ts';

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels(64 << 20);
});

const [W, H] = [120, 80];
const random = randomFrom(3);
/** Noise that repeats itself every 20 px across and every 16 down. */
const noise = Array.from({ length: 20 * 16 }, () => 200 * random());
const tile = (x: number, y: number): number => noise[(y % 16) * 20 + (x % 20)];

/** A picture with a hole in its middle. */
function picture(at: (x: number, y: number) => number): Incomplete {
  const colour = new Float32Array(W * H * 4);
  const missing = new Uint8Array(W * H);
  for (let i = 0; i < W * H; i++) {
    const [x, y] = [i % W, Math.floor(i / W)];
    missing[i] = x >= 50 && x < 70 && y >= 32 && y < 48 ? 1 : 0;
    colour[4 * i] = missing[i] ? 0 : at(x, y);
  }
  return { width: W, height: H, colour, missing };
}

/** Of the missing pixels those that a shift map restores. */
function restored(p: Incomplete, shifts: number[], truth: (x: number, y: number) => number): number {
  const labels = shiftMap(p, patchSets(p), shifts);
  let [right, all] = [0, 0];
  for (let i = 0; i < W * H; i++) {
    if (p.missing[i] === 0) continue;
    all++;
    const k = labels[i];
    if (k < 0) continue;
    const from = i + shifts[2 * k + 1] * W + shifts[2 * k];
    if (Math.abs(p.colour[4 * from] - truth(i % W, Math.floor(i / W))) < 1e-3) right++;
  }
  return right / all;
}

describe('where a picture repeats itself', () => {
  it('is found from its patches, both ways', () => {
    const p = picture(tile);
    const found = repeats(kernels, p, patchSets(p), 6, 1);
    expect(found).toHaveLength(12);
    for (let k = 0; k < found.length; k += 2) {
      expect([Math.abs(found[k] % 20), Math.abs(found[k + 1] % 16)]).toEqual([0, 0]);
      expect(Math.max(Math.abs(found[k]), Math.abs(found[k + 1]))).toBeGreaterThanOrEqual(W / 15);
    }
    const pairs = found.flatMap((_, i) => (i % 2 === 0 ? [`${found[i]} ${found[i + 1]}`] : []));
    expect(pairs).toContain(`${-found[0]} ${-found[1]}`);
  });

  it('is nowhere where nothing is known', () => {
    const p = picture(tile);
    p.missing.fill(1);
    expect(repeats(kernels, p, patchSets(p), 6, 1)).toEqual([]);
  });
});

describe('the shifts that were used most', () => {
  it('come first, and of equal ones always the same', () => {
    const p = picture(tile);
    const field = Int32Array.from({ length: W * H }, (_, i) => i + (i % 3 === 0 ? -2 * W - 7 : 5));
    const which = new Uint8Array(W * H);
    which.fill(1, 20 * W, 30 * W);
    expect(frequentShifts(p, field, which, 2)).toEqual([5, 0, -7, -2]);
    expect(frequentShifts(p, field, which, 1)).toEqual([5, 0]);
  });
});

describe('completing by shifts', () => {
  it('takes the one that goes on with the pattern', () => {
    const p = picture(tile);
    expect(restored(p, [7, 3, 40, 0, -11, 30], tile)).toBe(1);
    expect(restored(p, [7, 3, -11, 30], tile)).toBeLessThan(0.2);
  });

  it('takes each where it is right, and parts them where they agree', () => {
    // Above the line the pattern repeats every 20 px across, below it every 24; twice that leads past the hole.
    const wide = Array.from({ length: 24 * 80 }, () => 200 * random());
    const two = (x: number, y: number): number => (y < 40 ? tile(x, y) : wide[y * 24 + (x % 24)]);
    const p = picture(two);
    // Where the two meet inside the hole, nothing tells to the px.
    expect(restored(p, [40, 0, 48, 0], two)).toBeGreaterThan(0.85);
    expect(restored(p, [40, 0], two)).toBeCloseTo(0.5, 1);
  });

  it('takes nothing from where nothing is known', () => {
    const p = picture(tile);
    const labels = shiftMap(p, patchSets(p), [4, 0, 500, 0]);
    expect(labels[40 * W + 58]).toBe(-1);
    expect(labels[40 * W + 72]).toBe(0);
  });
});

describe('aligning shifts', () => {
  const p = picture(tile);
  const sets = patchSets(p);
  const labels = new Int32Array(W * H);

  it('moves them by one px to where parts fit what is known', () => {
    expect(alignShifts(p, sets, labels, [41, -1])).toEqual([40, 0]);
    expect(alignShifts(p, sets, labels, [-40, 0])).toEqual([-40, 0]);
  });

  it('moves a part that touches nothing known by what is around it', () => {
    const inner = labels.slice();
    for (let y = 38; y < 42; y++) inner.fill(1, y * W + 56, y * W + 64);
    expect(alignShifts(p, sets, inner, [40, 0, -41, 1])).toEqual([40, 0, -40, 0]);
  });

  it('leaves a shift that no pixel is taken by', () => {
    expect(alignShifts(p, sets, labels, [40, 0, 33, 5])).toEqual([40, 0, 33, 5]);
  });
});
