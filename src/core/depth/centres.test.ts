import { describe, expect, it } from '@jest/globals';
import { loadKernels } from '../../media/kernelFile.ts';
import { identity3 } from '../geometry/homography.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import { Pyramids } from '../motion/pyramids.ts';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import { centresOfMovement } from './centres.ts';
import { CornerFollower } from './followCorners.ts';

const [W, H] = [320, 200];
const [X, Y] = [160, 100];
const EDGE = Y + 1;
/** How much farther each row goes than the one above it, px. */
const SLOPE = 0.15;

const waves = (x: number, y: number): number => 40 * Math.sin(x / 2.3) + 25 * Math.sin(x / 4.1 + y / 3.7);
/** Nothing above the edge tells of a movement along it. */
const belowAnEdge = (x: number, y: number): number => (y < EDGE ? 60 : 140 + waves(x, y));
const everywhere = (x: number, y: number): number => 128 + waves(x, y) + 20 * Math.sin(y / 2.9);

const nothing = (): boolean => false;

/** A camera that says that nothing moves. */
const still = {
  data: { width: W, height: H },
  map: () => undefined,
  plane: () => identity3(),
} as unknown as CameraMotion;

/** How a corner of a picture moves where rows slide over one another, and where its centre lies. */
async function follow(picture: (x: number, y: number) => number): Promise<{ moved: number; y: number }> {
  const frames = paintedFrames(smallFormat(W, H), 2, (x, y, _, t) => picture(x - t * SLOPE * (y - Y), y));
  const kernels = await loadKernels(64 << 20);
  const pyramids = new Pyramids(kernels, frames, 2);
  const corners = Float64Array.of(X, Y);
  const moved = new CornerFollower(kernels, still, pyramids, () => false).movedOutwards(0, [1], corners);
  const [, y] = centresOfMovement(kernels, pyramids.get(0)[0], corners, moved.values(), nothing, pyramids.scale);
  return { moved: moved.get(1)![0], y };
}

describe('the centre of what a window tells', () => {
  it('is where its movement was measured, not its middle', async () => {
    const { moved, y } = await follow(belowAnEdge);
    // At the window's middle nothing moves.
    expect(moved).toBeGreaterThan(0.4);
    expect(y).toBeGreaterThan(EDGE);
    expect(Math.abs(moved - SLOPE * (y - Y))).toBeLessThan(0.1);
  });

  it('is near its middle where all of it tells the same', async () => {
    const { moved, y } = await follow(everywhere);
    expect(Math.abs(moved)).toBeLessThan(0.3);
    expect(Math.abs(y - Y)).toBeLessThan(2);
    expect(Math.abs(moved - SLOPE * (y - Y))).toBeLessThan(0.1);
  });

  it('is its middle where nothing moves, at borders, beside what is hidden, and where only one direction is told', async () => {
    const kernels = await loadKernels(64 << 20);
    const stripes = paintedFrames(smallFormat(W, H), 1, (x) => 128 + 60 * Math.sin(x / 2));
    const [level] = new Pyramids(kernels, stripes, 1).get(0);
    const corners = Float64Array.of(X, Y, 3, 3);
    const moves = Float64Array.of(1, 0, 1, 0);
    expect(centresOfMovement(kernels, level, corners, [moves], nothing, 1)).toEqual(corners);
    const [checks] = new Pyramids(kernels, paintedFrames(smallFormat(W, H), 1, everywhere), 1).get(0);
    const hides = (): boolean => true;
    expect(centresOfMovement(kernels, checks, corners, [moves], hides, 1)).toEqual(corners);
    expect(centresOfMovement(kernels, checks, corners, [moves], nothing, 1)).not.toEqual(corners);
    expect(centresOfMovement(kernels, checks, corners, [Float64Array.of(0, 0, NaN, NaN)], nothing, 1)).toEqual(corners);
  });
});
