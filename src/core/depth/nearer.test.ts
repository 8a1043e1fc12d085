import { beforeAll, describe, expect, it } from '@jest/globals';
import type { Kernels } from '../../kernels/index.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import { farSample, nearSample, onFar, onNear, TWO_DEPTHS, twoDepths, witnessesOf } from '../testing/twoDepths.ts';
import { signOfNearer } from './nearer.ts';

const { width, height, count, border } = TWO_DEPTHS;
const points: number[] = [];
for (let y = 8; y < height - 8; y += 4) for (let x = 20; x < width - 20; x += 4) points.push(x, y);

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels(64 << 20);
});

/** @param depth - Of the half that moves; the other one has 0. */
const signOf = (frames: ReturnType<typeof twoDepths>, depth: number): number =>
  signOfNearer(
    witnessesOf(kernels, frames, 16),
    [
      { place: onFar, depth: () => 0 },
      { place: onNear, depth: () => depth },
    ],
    Float32Array.from(points),
  );

describe('which of two surfaces is nearer', () => {
  it('is the one that hides the other in some frames, whatever the sign of its depths', () => {
    expect(signOf(twoDepths(), 1)).toBe(1);
    expect(signOf(twoDepths(), -1)).toBe(-1);
  });

  it('is the one that stands still if the moving one goes behind it', () => {
    const behind = paintedFrames(smallFormat(width, height), count, (x, y, _plane, t) =>
      x < border ? farSample(x, y) : nearSample(x, y, t),
    );
    expect(signOf(behind, 1)).toBe(-1);
  });

  it('is not asked of places that show nothing: they would be alike on any surface', () => {
    const asked: number[] = [];
    const plain = paintedFrames(smallFormat(width, height), count, (x, y) => 120 + ((x + y) % 3));
    const place = (_: number, of: Float32Array): boolean => {
      asked.push(of.length);
      return true;
    };
    const surfaces = [0, 1].map((depth) => ({ place, depth: () => depth }));
    expect(signOfNearer(witnessesOf(kernels, plain, 16), surfaces, Float32Array.from(points))).toBe(0);
    expect(Math.max(...asked)).toBe(0);
  });

  it('is not told where neither hides anything', () => {
    const alone = paintedFrames(smallFormat(width, height), count, (x, y) => farSample(x, y));
    expect(signOf(alone, 1)).toBe(0);
  });
});
