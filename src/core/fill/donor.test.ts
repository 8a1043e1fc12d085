import { beforeAll, describe, expect, it } from '@jest/globals';
import type { Kernels } from '../../kernels/index.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import { CameraMotion, solveCamera } from '../motion/cameraMotion.ts';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import { gatherDonor } from './donor.ts';
import { regionOf, type Region } from './region.ts';

const [W, H, COUNT] = [160, 64, 12];
const HOLE = { x: 32, y: 16, width: 16, height: 16 };
const DONOR = { frame: 0, dx: 64, dy: 0 };
/** Somebody stands before the donor's left half. */
const standsThere = (x: number, frame: number): boolean => frame >= 5 && frame <= 7 && x >= 96 && x < 104;
/** Each frame is a level brighter than the one before. */
const brightness = (x: number, y: number, frame: number): number => 40 + ((7 * x + 13 * y) % 90) + frame;

describe('a donor', () => {
  const frames = paintedFrames(smallFormat(W, H), COUNT, (x, y, _, frame) =>
    standsThere(x, frame) ? 250 : brightness(x, y, frame),
  );
  const inHole = (x: number, y: number): boolean =>
    x >= HOLE.x && y >= HOLE.y && x < HOLE.x + HOLE.width && y < HOLE.y + HOLE.height;
  const plane = smallFormat(W, H).planes[0];
  const mattes = paintedFrames({ ...smallFormat(W, H), planes: [plane, plane] }, COUNT, (x, y, p, frame) =>
    (p === 0 ? inHole(x, y) : standsThere(x, frame)) ? 255 : 0,
  );
  const camera = new CameraMotion(solveCamera(W, H, COUNT, [], 0.1));
  let kernels: Kernels;
  beforeAll(async () => {
    kernels = await loadKernels();
  });

  /** What each of its frames shows at a place of a frame. */
  const shown = (frame: number, places: readonly (readonly [number, number])[], donor = DONOR) => {
    const region = regionOf(kernels, frame, HOLE, mattes);
    return gatherDonor(kernels, frames, mattes, camera, donor, region).map(({ planes, support }) =>
      places.map(([x, y]) => (support[at(region, x, y)] > 0 ? planes[0][at(region, x, y)] : undefined)),
    );
  };
  const at = ({ rect }: Region, x: number, y: number): number => (y - rect.y) * rect.width + x - rect.x;

  it('is taken from the frame itself where it is in view', () => {
    expect(
      shown(2, [
        [36, 20],
        [44, 20],
      ]),
    ).toEqual([[brightness(100, 20, 2), brightness(108, 20, 2)]]);
  });

  it('is nothing where no frame has it in view', () => {
    expect(shown(2, [[36, 20]], { ...DONOR, dx: 600 })).toEqual([]);
  });

  it('is taken from the nearest frame that shows it where somebody stands before it', () => {
    const parts = shown(6, [
      [34, 20],
      [46, 20],
    ]);
    expect(parts[0]).toEqual([undefined, brightness(110, 20, 6)]);
    expect(parts[1][0]).toBe(brightness(98, 20, 2));
    expect(parts).toHaveLength(2);
  });
});
