import { beforeAll, describe, expect, it } from '@jest/globals';
import { loadKernels } from '../../media/kernelFile.ts';
import type { Kernels } from '../../kernels/index.ts';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import { textureClass } from './grain.ts';
import { makeRegion } from './region.ts';
import { textureField } from './textureField.ts';

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels(64 << 20);
});

const [W, H] = [64, 48];

describe('textureField', () => {
  it('is even up to an edge, and textured beyond it', () => {
    const format = smallFormat(W, H);
    const mattes = paintedFrames(format, 1, (x) => (x < 48 ? 255 : 0));
    const region = makeRegion(kernels, 0, { x: 0, y: 0, width: W, height: H }, mattes, false);
    // Left of 24 an even ramp, from there on stripes of +-20.
    const samples = Float32Array.from({ length: W * H }, (_, i) => {
      const x = i % W;
      return x < 24 ? 100 + 0.01 * x : 100 + (x % 2 ? 20 : -20);
    });
    const field = textureField(region, format, 0, samples, 255);
    const cols = W / 8;
    const row = [...field.subarray(2 * cols, 3 * cols)];
    expect(row.slice(0, 3)).toEqual([0, 0, 0]);
    for (const v of row.slice(4, 6)) expect(v).toBeCloseTo(textureClass(20 ** 2, 255), 5);
    // Out of the hole's tiles nothing is said.
    expect(row.slice(6)).toEqual([0, 0]);
  });
});
