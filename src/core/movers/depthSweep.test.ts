import { describe, expect, it } from '@jest/globals';
import { box } from '../testing/movingFilm.ts';
import { diceFrom } from '../testing/random.ts';
import { DepthSweep, type SeenColours, type SweptSource } from './depthSweep.ts';

const [W, H] = [64, 32];

/** Colours by place; the texture is 8 px and more away from repeating itself. */
const seen = (level: (x: number, y: number) => number): SeenColours => ({
  width: W,
  height: H,
  colours: Float32Array.from({ length: W * H * 3 }, (_, i) => level(Math.floor(i / 3) % W, Math.floor(i / 3 / W))),
});
const dice = diceFrom(3);
const levels = Float32Array.from({ length: 4 * W * H }, () => 255 * dice());
const texture = (x: number, y: number): number => levels[y * 4 * W + x + W];

/** A frame in which what is seen lies `shift` px to the right, where depth 1 puts things `perDepth` px to the right. */
const source = (shift: number, perDepth: number): SweptSource => ({
  ...seen((x, y) => texture(x - shift, y)),
  place: (places, depth = 0) => places.map((v, i) => (i % 2 === 0 ? v + depth * perDepth : v)),
});

describe('what is looked for at depths that are tried', () => {
  const sources = [-4, -2, 2, 4].map((px) => source(2 * px, px));
  const sweep = new DepthSweep(seen(texture), sources);
  const mask = box(20, 8, 16, 16);

  it('is like the frame at its own depth', () => {
    expect(sweep.unlikeness(mask, [0.5, 2, 3])).toBeCloseTo(0, 5);
  });

  it('is as unlike at wrong depths as on the plane', () => {
    const unlikeness = sweep.unlikeness(mask, [1, 3])!;
    expect(unlikeness).toBeGreaterThan(0.8);
    expect(unlikeness).toBeLessThan(1.2);
  });

  it('may have a depth of its own in each block', () => {
    // The right half stands still on the plane's other side.
    const two = [-4, -2, 2, 4].map((px) => ({
      ...seen((x, y) => (x < 32 + px ? texture(x - 2 * px, y) : texture(x + px, y))),
      place: source(0, px).place,
    }));
    const both = new DepthSweep(seen(texture), two);
    expect(both.unlikeness(box(20, 8, 24, 16), [2, -1])).toBeLessThan(0.2);
    expect(both.unlikeness(box(20, 8, 24, 16), [2])).toBeGreaterThan(0.3);
  });

  it('is not told where it is like on the plane, nor where too few sources show it', () => {
    const still = [source(0, 1), source(0, 2)];
    expect(new DepthSweep(seen(texture), still).unlikeness(mask, [1])).toBeUndefined();
    expect(new DepthSweep(seen(texture), sources.slice(0, 1)).unlikeness(mask, [2])).toBeUndefined();
  });
});
