import { expect, it } from '@jest/globals';
import { loadKernels } from '../../media/kernelFile.ts';
import { Pyramids } from '../motion/pyramids.ts';
import { blockedCells } from '../testing/blocked.ts';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import { sampled, tileCorners, tileWindows, WINDOW, windowsOf } from './tileWindows.ts';

const [W, H] = [64, 48];
/** What is said here is seen on one frame, brighter to the right and farther down, of which the right is hidden. */
const frames = paintedFrames(smallFormat(W, H), 1, (x, y) => 2 * x + y);
const tile = { tile: 0, x: 16, y: 16 };

async function looking(): Promise<Parameters<typeof sampled>[0]> {
  const kernels = await loadKernels(16 << 20);
  const blocked = blockedCells(frames, (_, x) => x >= 40);
  return { kernels, pyramids: new Pyramids(kernels, frames, 1), blocked };
}

it('a window is six samples across, four px apart, in the middle of its tile', async () => {
  const { kernels } = await looking();
  const places = tileWindows(kernels, [tile], 16);
  expect(places).toHaveLength(2 * WINDOW);
  expect([...places.subarray(0, 4)]).toEqual([14, 14, 18, 14]);
  expect([...places.subarray(2 * WINDOW - 2)]).toEqual([34, 34]);
});

it('a window lies as the corners of its tile do', async () => {
  const seen = await looking();
  const { kernels } = seen;
  const own = sampled(seen, 0, tileWindows(kernels, [tile], 16));
  expect(windowsOf(seen, 0, tileCorners([tile], 16), 16)).toEqual(own);
  // Turned by a quarter about the place (20, 24).
  const turned = tileCorners([tile], 16).map((_, i, all) => (i % 2 === 0 ? 44 - all[i + 1] : 4 + all[i - 1]));
  const seenTurned = windowsOf(seen, 0, turned, 16);
  const wanted = tileWindows(kernels, [tile], 16).map((_, i, all) => (i % 2 === 0 ? 44 - all[i + 1] : 4 + all[i - 1]));
  seenTurned.forEach((v, i) => expect(v).toBeCloseTo(2 * wanted[2 * i] + wanted[2 * i + 1], 3));
});

it('what is hidden or out of view is not known', async () => {
  const seen = await looking();
  const values = sampled(seen, 0, Float32Array.of(10.5, 20, 39.9, 20, 40, 20, -3, 20, 20, 47.5, NaN, 20));
  expect([...values].map(Number.isNaN)).toEqual([false, false, true, true, true, true]);
  expect(values[0]).toBeCloseTo(41, 3);
});
