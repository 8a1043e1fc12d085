import { beforeAll, describe, expect, it } from '@jest/globals';
import type { Kernels } from '../../kernels/index.ts';
import type { FrameReader } from '../image/format.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import { farSample, nearSample, onFar, TWO_DEPTHS, twoDepths, witnessesOf } from '../testing/twoDepths.ts';
import { passersBy } from './passersBy.ts';

const { width, height, count, frame, parallax } = TWO_DEPTHS;
/** Somebody of 18 px on their way before what stands still. */
const isSomebody = (x: number, t: number): boolean => Math.abs(x - 150 - parallax * (t - frame)) < 9;
const walking = paintedFrames(smallFormat(width, height), count, (x, y, _plane, t) =>
  isSomebody(x, t) ? nearSample(x, y, t) : farSample(x, y),
);
const ROWS = [12, 17, 22, 27, 32, 37, 42, 47, 52];
/** Of nine places each left of where they are in that frame, there, and right of it: how many pass by. */
function passing(film: FrameReader, sources?: number[]): number[] {
  const seen = { ...witnessesOf(kernels, film, 16), ...(sources && { sources }) };
  const corners = [60, 150, 240].flatMap((x) => ROWS.flatMap((y) => [x, y]));
  const told = [...passersBy(seen, onFar, corners)];
  return [0, 9, 18].map((first) => told.slice(first, first + 9).reduce((a, b) => a + b, 0));
}

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels(64 << 20);
});

describe('who passes by', () => {
  it('is told where the sources agree with one another, but not with the frame', () => {
    const [left, there, right] = passing(walking);
    expect([left, right]).toEqual([0, 0]);
    expect(there).toBeGreaterThan(6);
  });

  it('is not what lies at another depth all over: there each source shows something else', () => {
    expect(passing(twoDepths(100))).toEqual([0, 0, 0]);
  });

  it('is not told by too few sources', () => {
    expect(passing(walking, [0, 2, 12])).toEqual([0, 0, 0]);
  });
});
