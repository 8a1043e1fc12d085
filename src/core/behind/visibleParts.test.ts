import { describe, expect, it } from '@jest/globals';
import { CameraMotion, solveCamera } from '../motion/cameraMotion.ts';
import { areaOf, type MaskPatch } from '../movers/maskPatch.ts';
import { COUNT, H, looksAt, toTheRight, W } from '../testing/passing.ts';
import { bodyIn } from './align.ts';
import { ClearFrames } from './clearFrames.ts';
import { visibleParts } from './visibleParts.ts';

const box = (x: number, y: number, width: number, height: number): MaskPatch => ({
  x,
  y,
  width,
  height,
  data: new Uint8Array(width * height).fill(1),
});

describe('what moves beside a matte', () => {
  it('is cut at it, into parts if it lies across', () => {
    const hidden = Uint8Array.from({ length: W * H }, (_, i) => (i % W >= 50 && i % W < 60 ? 255 : 0));
    const across = box(40, 10, 30, 10);
    const under = box(51, 30, 8, 10);
    const free = box(80, 30, 8, 10);
    const { regions, loose } = visibleParts({ regions: [across, under], loose: [free] }, hidden, W);
    expect(regions.map(({ x, y, width, height }) => [x, y, width, height])).toEqual([
      [40, 10, 10, 10],
      [60, 10, 10, 10],
    ]);
    expect(regions.map(areaOf)).toEqual([100, 100]);
    expect(loose).toEqual([free]);
  });
});

describe('frames that show what is behind somebody', () => {
  const still = new CameraMotion(solveCamera(W, H, COUNT, [], 1));
  const looks = looksAt([toTheRight]);
  const moving = Array.from({ length: COUNT }, (_, t) => ({ regions: [box(10 + 2 * t, 10, 12, 22)], loose: [] }));
  const clear = new ClearFrames(moving, looks, still);

  it('are the nearest in which they are elsewhere, and no matte is there', () => {
    const others = clear.around(10, box(30, 10, 12, 22));
    expect(others.length).toBeGreaterThan(3);
    // They go by their own width in six frames.
    for (const t of others) expect(Math.abs(t - 10)).toBeGreaterThanOrEqual(6);
  });

  it('tell how much of somebody looks like it', () => {
    const mask = box(30, 10, 12, 22);
    expect(clear.blendsIn(10, bodyIn(looks, 10, mask))).toBeLessThan(0.3);
    const ground = box(120, 40, 12, 12);
    expect(clear.blendsIn(10, bodyIn(looks, 10, ground))).toBe(1);
  });
});
