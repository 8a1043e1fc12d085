import { beforeAll, describe, expect, it } from '@jest/globals';
import type { FrameFormat } from '../core/image/format.ts';
import { paintedFrames, smallFormat } from '../core/testing/frames.ts';
import type { Kernels } from '../kernels/kernels.ts';
import { loadKernels } from './kernelFile.ts';
import { SmallerFrames } from './smallerFrames.ts';

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels();
});

/** Paints a film, and makes it smaller by a factor. */
function smaller(format: FrameFormat, factor: number, paint: Parameters<typeof paintedFrames>[2]): SmallerFrames {
  return new SmallerFrames(kernels, paintedFrames(format, 2, paint), factor);
}

describe('smaller frames', () => {
  const small = (): SmallerFrames =>
    smaller(smallFormat(10, 8, true), 4, (x, y, plane, frame) => 10 * frame + 50 * plane + 3 * x + y);

  it('have a sample for each square, the last ones too', () => {
    const { count, format } = small();
    expect(count).toBe(2);
    expect(format).toMatchObject({ width: 3, height: 2 });
    expect(format.planes.map(({ width, height }) => [width, height])).toEqual([
      [3, 2],
      [2, 1],
      [2, 1],
    ]);
  });

  it('hold the means of squares', () => {
    const rows = new Uint8Array(3);
    small().readRows(1, 0, 1, 1, rows);
    // Rows 4 to 7 are 5.5 in the mean; columns 0 to 3, 4 to 7, and the last two.
    expect([...rows]).toEqual([10 + 4.5 + 5.5, 10 + 16.5 + 5.5, 10 + 25.5 + 5.5].map(Math.round));
    const chroma = new Uint8Array(2);
    small().readRows(0, 2, 0, 1, chroma);
    expect([...chroma]).toEqual([Math.round(100 + 4.5 + 1.5), Math.round(100 + 12 + 1.5)]);
  });

  it.each([8, 16])('hold them in wide rows of %i bit, too', (depth) => {
    const most = 2 ** depth - 1;
    const value = (x: number, y: number): number => (x * 7919 + y * 104729) % (most + 1);
    const wide = smaller({ ...smallFormat(47, 9), depth }, 5, value);
    const out = new Uint8Array(10 * 2 * (depth / 8));
    wide.readRows(0, 0, 0, 2, out);
    const samples = depth === 8 ? out : new Uint16Array(out.buffer);
    const mean = (from: number, to: number, top: number, bottom: number): number => {
      let sum = 0;
      for (let y = top; y < bottom; y++) for (let x = from; x < to; x++) sum += value(x, y);
      return Math.round(sum / (to - from) / (bottom - top));
    };
    expect(samples[3]).toBe(mean(15, 20, 0, 5));
    expect(samples[9]).toBe(mean(45, 47, 0, 5));
    expect(samples[18]).toBe(mean(40, 45, 5, 9));
  });
});
