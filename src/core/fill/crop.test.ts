import { beforeAll, describe, expect, it } from '@jest/globals';
import type { Kernels } from '../../kernels/index.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import { Crop } from './crop.ts';
import { planeSize, readRegionPlane, regionOf, RIM_TILE, TILE, type Region } from './region.ts';

const [W, H] = [128, 96];
const format = smallFormat(W, H, true);
let region: Region;
beforeAll(async () => {
  const kernels: Kernels = await loadKernels(32 << 20);
  // Two boxes, far from each other.
  const isHole = (x: number, y: number): boolean => (x < 4 && y < 4) || (x > 100 && x < 110 && y > 70 && y < 80);
  const mattes = paintedFrames(smallFormat(W, H), 1, (x, y) => (isHole(x, y) ? 255 : 0));
  region = regionOf(kernels, 0, { x: 0, y: 0, width: 110, height: 80 }, mattes);
});

/** The set of a region's tiles that lie in a rectangle of tiles, counted from the frame's corner. */
const tilesIn = (c0: number, r0: number, c1: number, r1: number): Uint8Array =>
  region.active.map((_, i) => {
    const c = (i % region.cols) + region.rect.x / TILE;
    const r = Math.floor(i / region.cols) + region.rect.y / TILE;
    return c >= c0 && c < c1 && r >= r0 && r < r1 ? 1 : 0;
  });

describe('a crop', () => {
  it('is the region around some tiles, in its own place of the frame', () => {
    const crop = new Crop(region, format, tilesIn(5, 3, 7, 6));
    expect(crop.region).toMatchObject({ rect: { x: 80, y: 48, width: 32, height: 48 }, cols: 2, rows: 3 });
    const at = (x: number, y: number): number => (y - 48) * 32 + x - 80;
    expect([crop.region.alpha[at(105, 75)], crop.region.alpha[at(99, 75)]]).toEqual([255, 0]);
    expect([crop.region.known[at(105, 75)], crop.region.known[at(90, 56)]]).toEqual([0, 1]);
    const whole = [...region.active.keys()].filter((i) => tilesIn(5, 3, 7, 6)[i] === 1).map((i) => region.active[i]);
    expect([...crop.region.active]).toEqual(whole);
  });

  it('leaves tiles out that lie between those of the set', () => {
    const [a, b] = [tilesIn(4, 4, 5, 5), tilesIn(6, 4, 7, 5)];
    const { active } = new Crop(
      region,
      format,
      a.map((v, i) => v | b[i]),
    ).region;
    expect([active.length, active[1]]).toEqual([3, 0]);
    expect(active[2]).toBeGreaterThanOrEqual(RIM_TILE);
  });

  it('has the samples of every plane at their places, and puts them back there alone', () => {
    const frames = paintedFrames(format, 1, (x, y) => (3 * x + 5 * y) % 251);
    const crop = new Crop(region, format, tilesIn(5, 3, 7, 6));
    format.planes.forEach((_, plane) => {
      const whole = readRegionPlane(frames, region, plane);
      const own = readRegionPlane(frames, crop.region, plane);
      expect([...crop.of(whole, plane)]).toEqual([...own]);
      const into = new Float32Array(whole.length);
      crop.putBack(own, into, plane);
      const { width, height } = planeSize(crop.region, format, plane);
      expect([...crop.of(into, plane)]).toEqual([...own]);
      expect(into.filter((v) => v !== 0).length).toBe(own.filter((v) => v !== 0).length);
      expect(own.length).toBe(width * height);
    });
  });
});
