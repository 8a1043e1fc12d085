import { describe, expect, it } from '@jest/globals';
import { gaussFrom, randomFrom } from '../testing/random.ts';
import { measureGrain } from './grain.ts';
import { grainOf, grainShares } from './shotGrain.ts';

const SIDE = 72;
const N = SIDE * SIDE;
const FULL = 255;
const gauss = gaussFrom(11);
const random = randomFrom(12);

/** Blocks of a frame with some grain, and something that was left of its motion or light. */
function blocksOf(grain: number, left: (x: number, y: number) => number = () => 0): Float32Array {
  const estimate = Float32Array.from({ length: N }, () => 120 + 4 * random());
  const residual = estimate.map((_, i) => grain * gauss() + left(i % SIDE, Math.floor(i / SIDE)));
  return measureGrain(residual, estimate, () => 120 / FULL, new Uint8Array(N).fill(1), SIDE, SIDE);
}

const shot = Array.from({ length: 20 }, () => [blocksOf(3)]);
const models = grainOf(shot, FULL);
const shareOf = (blocks: Float32Array): number => grainShares(models, [blocks], FULL)[0];

describe('the grain of one frame of a shot', () => {
  it('is a share of what the shot has', () => {
    expect(shareOf(blocksOf(1.2))).toBeGreaterThan(0.32);
    expect(shareOf(blocksOf(1.2))).toBeLessThan(0.52);
    expect(shareOf(blocksOf(3))).toBeGreaterThan(0.93);
  });

  it('is never more than that: what is more is an error', () => {
    expect(shareOf(blocksOf(9))).toBe(1);
  });

  it('is told by what is as fine as the px, not by what is left of light and motion', () => {
    const share = shareOf(blocksOf(1.2, (x, y) => 4 * Math.sin(x / 3) * Math.cos(y / 4)));
    expect(share).toBeLessThan(0.6);
  });

  it('is all of it where too few blocks tell, and where the shot has none', () => {
    expect(shareOf(blocksOf(1.2).subarray(0, 0))).toBe(1);
    expect(grainShares([undefined], [blocksOf(1.2)], FULL)).toEqual([1]);
    expect(grainOf([], FULL)).toEqual([]);
    expect(grainOf([[new Float32Array(0)]], FULL)).toEqual([undefined]);
  });
});
