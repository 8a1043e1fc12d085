import { describe, expect, it } from '@jest/globals';
import { gaussFrom, randomFrom } from '../testing/random.ts';
import { measureGrain } from './grain.ts';
import { shotGrain } from './shotGrain.ts';

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

/** Share of a frame with some blocks, in a shot whose other frames have a grain of 3. */
const shareOf = (blocks: Float32Array): number => {
  const others = Array.from({ length: 20 }, () => [blocksOf(3)]);
  return shotGrain([...others, [blocks]], FULL).shares[20][0];
};

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
    const few = [[blocksOf(3).subarray(0, 0)]];
    expect(shotGrain(few, FULL)).toEqual({ models: [undefined], shares: [[1]] });
    expect(shotGrain([], FULL)).toEqual({ models: [], shares: [] });
  });

  it('hardly differs between frames that have the same', () => {
    const { shares } = shotGrain(
      Array.from({ length: 30 }, () => [blocksOf(2)]),
      FULL,
    );
    expect(Math.min(...shares.map(([share]) => share))).toBeGreaterThan(0.85);
    expect(shares.reduce((sum, [share]) => sum + share, 0) / shares.length).toBeGreaterThan(0.97);
  });
});
