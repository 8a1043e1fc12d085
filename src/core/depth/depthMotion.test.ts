import { expect, it } from '@jest/globals';
import { loadKernels } from '../../media/kernelFile.ts';
import { identity3 } from '../geometry/homography.ts';
import type { FrameReader } from '../image/format.ts';
import type { CameraMotion } from './cameraMotion.ts';
import { LocalMotion } from './localMotion.ts';
import { Pyramids } from './pyramids.ts';

const [W, H] = [320, 200];

/** A texture of waves that never repeat within the frame, moved to the right by `shift` px per frame. */
function footage(shift: number): FrameReader {
  const plane = { width: W, height: H, stepX: 1, stepY: 1 };
  const value = (x: number, y: number): number =>
    128 + 40 * Math.sin(x / 3.1 + y / 7.3) + 35 * Math.sin(x / 5.7 - y / 4.1) + 25 * Math.sin((x * y) / 700);
  return {
    format: { width: W, height: H, depth: 8, planes: [plane], colourPlanes: 1 },
    count: 2,
    readRows(frame, _plane, y, rows, into) {
      for (let r = 0; r < rows; r++) {
        for (let x = 0; x < W; x++) into[r * W + x] = value(x - shift * frame, y + r);
      }
    },
  };
}

/** A camera that says that nothing moves. */
const still = { data: { tripod: false }, map: () => undefined, plane: () => identity3() } as unknown as CameraMotion;
const hole = { x: 140, y: 80, width: 40, height: 40 };
const blocked = (_: number, x: number, y: number): boolean => x >= 140 && x < 180 && y >= 80 && y < 120;

async function refined(shift: number): Promise<{ found: number; dx: number; dy: number }> {
  const kernels = await loadKernels(64 << 20);
  const motion = new LocalMotion(kernels, still, new Pyramids(kernels, footage(shift), 4), blocked);
  const found = motion.refine(0, hole, [0, 1]);
  const points = Float64Array.of(160, 100);
  motion.map(0, 1, points);
  return { found, dx: points[0] - 160, dy: points[1] - 100 };
}

it('finds that what surrounds the hole moves other than the camera says', async () => {
  const { found, dx, dy } = await refined(2.5);
  expect(found).toBe(1);
  expect(Math.abs(dx - 2.5)).toBeLessThan(0.1);
  expect(Math.abs(dy)).toBeLessThan(0.1);
});

it('leaves the camera’s motion alone where it is right', async () => {
  expect(await refined(0)).toEqual({ found: 0, dx: 0, dy: 0 });
});
