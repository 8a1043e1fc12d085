import { expect, it } from '@jest/globals';
import { loadKernels } from '../../media/kernelFile.ts';
import { CameraMotion } from '../motion/cameraMotion.ts';
import { Pyramids } from '../motion/pyramids.ts';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import { CornerFollower } from './followCorners.ts';

const [WIDTH, HEIGHT] = [320, 240];
const frames = paintedFrames(
  smallFormat(WIDTH, HEIGHT),
  2,
  (x, y) => (Math.floor(x / 3) * 7919 + Math.floor(y / 3) * 104729) % 251,
);
const still = new CameraMotion({
  ...{ width: WIDTH, height: HEIGHT, count: 2, poses: new Float64Array(18), mesh: new Float32Array(0), tripod: true },
  ...{ residualPx: 0, support: new Float32Array(2), scenes: new Uint32Array(2) },
});

it('follows more of the weaker corners in an area that is much larger', async () => {
  const kernels = await loadKernels(64 << 20);
  const follower = new CornerFollower(kernels, still, new Pyramids(kernels, frames, 2), () => false);
  const inArea = (width: number, height: number): number =>
    follower.corners(0, { x: 0, y: 0, width, height }).others.length / 2;
  expect(inArea(WIDTH, HEIGHT)).toBe(80);
  // Most of the area lies beyond the picture: what counts is how far around the hole one looks.
  expect(inArea(2 * WIDTH, HEIGHT)).toBe(Math.round((80 * 2 * WIDTH * HEIGHT) / 100_000));
});
