import { expect, it } from '@jest/globals';
import { loadKernels } from '../../media/kernelFile.ts';
import { regionOf } from '../fill/region.ts';
import { boxOf, createMatteCells, fillMatteCells } from '../image/matteCells.ts';
import { CameraMotion, solveCamera } from '../motion/cameraMotion.ts';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import { carriedBy } from './carriedBy.ts';
import { CarrierMask } from './carrierMask.ts';
import { matteWay } from './matteWay.ts';

// A board of 40 by 32 px goes six px a frame past a wall of the same light, but of another colour, with a plate of 12 by 12 px in its middle.

const [W, H, COUNT, SPEED] = [160, 96, 12, 6];
const left = (t: number): number => 16 + SPEED * t;
const isBoard = (t: number, x: number, y: number): boolean => x >= left(t) && x < left(t) + 40 && y >= 32 && y < 64;
const isPlate = (t: number, x: number, y: number): boolean =>
  x >= left(t) + 14 && x < left(t) + 26 && y >= 42 && y < 54;

const patch = (x: number, y: number): number => ((Math.floor(x / 3) * 7 + Math.floor(y / 3) * 11) % 5) * 12;

it('lets a frame’s own px count where they go with the thing, told by their colours too', async () => {
  const kernels = await loadKernels(32 << 20);
  const frames = paintedFrames(smallFormat(W, H, true), COUNT, (x, y, plane, t) => {
    const [u, v] = plane === 0 ? [x, y] : [2 * x, 2 * y];
    if (plane > 0) return isBoard(t, u, v) ? 90 : 150;
    return isPlate(t, u, v) ? 230 : 100 + (isBoard(t, u, v) ? patch(u - left(t), v) : patch(u, v));
  });
  const mattes = paintedFrames(smallFormat(W, H), COUNT, (x, y, _plane, t) => (isPlate(t, x, y) ? 255 : 0));
  const cells = createMatteCells(W, H, COUNT);
  for (let t = 0; t < COUNT; t++) fillMatteCells(kernels, cells, mattes, t);
  const camera = solveCamera(W, H, COUNT, [], 1);
  const carried = new CameraMotion(carriedBy(matteWay(cells, { width: W, height: H }), camera));
  const mask = new CarrierMask(frames, cells, carried);
  const region = regionOf(kernels, 5, boxOf(cells, 5), mattes);
  const before = region.known.slice();
  mask.keep(region);
  const { rect, known } = region;
  const shares = { board: [0, 0], wall: [0, 0] };
  before.forEach((was, i) => {
    if (was === 0) return;
    const [x, y] = [rect.x + (i % rect.width), rect.y + Math.floor(i / rect.width)];
    const of = shares[isBoard(5, x, y) ? 'board' : 'wall'];
    of[0] += known[i];
    of[1]++;
  });
  expect(shares.board[1]).toBeGreaterThan(400);
  expect(shares.wall[1]).toBeGreaterThan(200);
  expect(shares.board[0] / shares.board[1]).toBeGreaterThan(0.9);
  expect(shares.wall[0] / shares.wall[1]).toBeLessThan(0.4);
});
