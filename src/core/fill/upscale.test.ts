import { beforeAll, describe, expect, it } from '@jest/globals';
import type { Kernels } from '../../kernels/index.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import { smallFormat } from '../testing/frames.ts';
import { upscalePatch } from './upscale.ts';

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels(32 << 20);
});

describe("a draft's patch at full size", () => {
  const [w, h, factor] = [16, 8, 4];
  const full = smallFormat(w * factor, h * factor);
  const patchOf = (sample: (x: number, y: number) => number) => ({
    frame: 0,
    rect: { x: 0, y: 0, width: w, height: h },
    planes: [Uint16Array.from({ length: w * h }, (_, i) => sample(i % w, Math.floor(i / w)))],
    hole: 6,
    unseen: 2,
  });

  it('lies where the small one lay, and counts its px at full size', () => {
    const alpha = new Uint8Array(w * h);
    alpha[3 * w + 9] = 255;
    const patch = upscalePatch(
      kernels,
      patchOf(() => 90),
      alpha,
      full,
      factor,
    );
    expect(patch.rect).toEqual({ x: 32, y: 0, width: 16, height: 16 });
    expect([patch.hole, patch.unseen]).toEqual([6 * 16, 2 * 16]);
    // Px (9, 3) of the small matte covers px 36..39, 12..15 of the frame.
    expect(patch.planes[0][12 * 16 + 4]).toBe(90);
  });

  it('goes straight through a slope: sample i is the mean of those that it stands for', () => {
    const alpha = new Uint8Array(w * h).fill(255);
    const { planes, rect } = upscalePatch(
      kernels,
      patchOf((x) => 8 * x),
      alpha,
      full,
      factor,
    );
    // The small sample 7 lies at 29.5 of the frame: 2 levels a px.
    const at = (x: number): number => planes[0][16 * rect.width + x];
    expect([at(29), at(30), at(34)]).toEqual([55, 57, 65]);
  });

  it('is empty without a matte', () => {
    const { rect, planes } = upscalePatch(
      kernels,
      patchOf(() => 90),
      new Uint8Array(w * h),
      full,
      factor,
    );
    expect([rect.width, rect.height, planes[0].length]).toEqual([0, 0, 0]);
  });
});
