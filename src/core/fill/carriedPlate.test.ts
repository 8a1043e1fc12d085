import { beforeAll, describe, expect, it } from '@jest/globals';
import type { Kernels } from '../../kernels/index.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import { CarriedMotion } from '../depth/carriedMotion.ts';
import { evenStretch, stillCamera } from '../testing/evenStretch.ts';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import { carriedBy, isCarriedByDepth } from './carriedPlate.ts';
import { samplePlate, type Plate } from './plate.ts';
import { readRegionPlane, regionOf, type Region } from './region.ts';

const [W, H, COUNT] = [480, 320, 12];
const format = smallFormat(W, H);
const HOLE = { x: 208, y: 128, width: 64, height: 64 };
const inHole = (x: number, y: number): boolean =>
  x >= HOLE.x && x < HOLE.x + HOLE.width && y >= HOLE.y && y < HOLE.y + HOLE.height;
const mattes = paintedFrames(format, COUNT, (x, y) => (inHole(x, y) ? 255 : 0));
const texture = (x: number, y: number): number =>
  128 + 40 * Math.sin(x / 3.1 + y / 7.3) + 35 * Math.sin(x / 5.7 - y / 4.1) + 25 * Math.sin((x * y) / 700);

/** Depths say that the ground moves so many px to the right per frame. */
const SAID = 2;
const stretches = [0, 4, 8].map((key) =>
  evenStretch(
    key,
    SAID,
    [-3, -2, -1, 1, 2, 3].map((d) => key + d),
  ),
);
const AT = 9;

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels();
});

/** A plate of a ground that truly moves so many px per frame, and regions of some frames of it. */
function shot(perFrame: number): { plate: Plate; own: (frames: number[]) => Parameters<typeof isCarriedByDepth>[2] } {
  const ground = (x: number, y: number, t: number): number => Math.round(texture(x - perFrame * t, y));
  const frames = paintedFrames(format, COUNT, (x, y, _, t) => (inHole(x, y) ? 10 : ground(x, y, t)));
  const samples = Uint16Array.from({ length: W * H }, (_, i) => 256 * ground(i % W, Math.floor(i / W), AT));
  return {
    plate: { frame: AT, rect: { x: 0, y: 0, width: W, height: H }, planes: [samples] },
    own: (of) =>
      of.map((frame) => {
        const region = regionOf(kernels, frame, HOLE, mattes);
        return { region, luma: readRegionPlane(frames, region, 0) };
      }),
  };
}

describe('a plate', () => {
  it('is carried by depth where that puts it where it fits', () => {
    const { plate, own } = shot(SAID);
    const motion = new CarriedMotion(stillCamera, stretches);
    expect(isCarriedByDepth(kernels, plate, own([0, 3, 6, 9]), motion, format)).toBe(true);
  });

  it('is carried by the camera’s plane where that fits as well, or better', () => {
    const { plate, own } = shot(0);
    const motion = new CarriedMotion(stillCamera, stretches);
    expect(isCarriedByDepth(kernels, plate, own([0, 3, 6, 9]), motion, format)).toBe(false);
    expect(isCarriedByDepth(kernels, plate, own([AT]), motion, format)).toBe(false);
    expect(isCarriedByDepth(kernels, plate, own([0, 6]), new CarriedMotion(stillCamera), format)).toBe(false);
  });

  it('shows in a frame far away what lies there on each tile’s own surface', () => {
    const { plate, own } = shot(SAID);
    const motion = new CarriedMotion(stillCamera, stretches);
    const [{ region }] = own([1]);
    motion.lay(region);
    const lies = motion.surfaces(1)!.slice();
    const used = region.active.map((a) => Math.min(1, a));
    // The left half of the tiles is said to lie on the camera's plane.
    lies.forEach((_, i) => i % region.cols < region.cols / 2 && (lies[i] = 0));
    const { planes, covers } = samplePlate(kernels, plate, region, { wanted: used, used, lies }, motion, format);
    const at = (x: number, y: number): number => (y - region.rect.y) * region.rect.width + x - region.rect.x;
    const shown = (x: number): number => planes[0][at(x, 160)];
    expect(covers[at(212, 160)] & covers[at(264, 160)]).toBe(1);
    expect(Math.abs(shown(264) - texture(264 - SAID, 160))).toBeLessThan(2);
    expect(Math.abs(shown(212) - texture(212 - SAID * AT, 160))).toBeLessThan(2);
  });

  it('is carried where nothing is seen by the surface of most tiles around, and elsewhere by the tile’s own', () => {
    const [cols, rows] = [5, 5];
    const region = { cols, rows, active: new Uint8Array(25).fill(2) } as unknown as Region;
    const lies = new Uint8Array(25).fill(1);
    // One tile in the middle, and one at the edge, stand out; only the former is open.
    [lies[12], lies[0]] = [3, 2];
    const open = Uint8Array.from(lies, (_, i) => (i === 12 ? 1 : 0));
    const expected = lies.slice();
    expected[12] = 1;
    expect([...carriedBy(region, lies, open)]).toEqual([...expected]);
  });
});
