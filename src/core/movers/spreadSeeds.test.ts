import { describe, expect, it } from '@jest/globals';
import { spreadSeeds } from './spreadSeeds.ts';

const W = 60;
const H = 9;
const at = (x: number, y: number): number => y * W + x;
/** Px of columns x0..x1-1, all rows. */
const columns = (x0: number, x1: number): number[] =>
  Array.from({ length: (x1 - x0) * H }, (_, i) => at(x0 + (i % (x1 - x0)), Math.floor(i / (x1 - x0))));
const whole = new Uint8Array(W * H).fill(1);
const ends = (px: readonly number[]): [number, number] => {
  const xs = px.map((i) => i % W);
  return [Math.min(...xs), Math.max(...xs)];
};

describe('spreadSeeds', () => {
  it('gives what lies between two to the nearer one, and keeps them apart', () => {
    // Between columns 10 and 39 lie 28 px that belong to the mask.
    const parts = spreadSeeds(whole, [columns(0, 11), columns(39, 50)], W, H);
    expect(parts).toHaveLength(2);
    const [left, right] = parts.map(ends).sort((a, b) => a[0] - b[0]);
    expect(left[0]).toBe(0);
    expect(right[0] - left[1]).toBeGreaterThanOrEqual(1);
    expect(Math.abs(left[1] + 1 - 25)).toBeLessThanOrEqual(13);
  });

  it('joins what lies close together', () => {
    expect(spreadSeeds(whole, [columns(0, 11), columns(15, 26)], W, H)).toHaveLength(1);
  });

  it('ends as far from a seed as suits its size, and where the mask ends', () => {
    const [small] = spreadSeeds(whole, [[at(5, 4), at(5, 5)]], W, H);
    expect(ends(small)).toEqual([2, 8]);
    const narrow = new Uint8Array(W * H);
    for (const i of columns(0, 14)) narrow[i] = 1;
    const [cut] = spreadSeeds(narrow, [columns(0, 11)], W, H);
    expect(ends(cut)).toEqual([0, 13]);
  });

  it('takes a seed as large as a frame', () => {
    const side = 480;
    const all = Array.from({ length: side * side }, (_, i) => i);
    expect(spreadSeeds(new Uint8Array(side * side).fill(1), [all], side, side)[0]).toHaveLength(side * side);
  });

  it('finds nothing where there is no seed', () => {
    expect(spreadSeeds(whole, [], W, H)).toEqual([]);
  });
});
