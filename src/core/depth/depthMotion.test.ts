import { describe, expect, it } from '@jest/globals';
import { loadKernels } from '../../media/kernelFile.ts';
import type { FrameReader } from '../image/format.ts';
import { blockedCells } from '../testing/blocked.ts';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import { evenStretch, stillCamera } from '../testing/evenStretch.ts';
import { Pyramids } from '../motion/pyramids.ts';
import { DepthMotion } from './depthMotion.ts';
import type { StretchDepth } from './depthPlaces.ts';
import { DepthFinder } from './findDepth.ts';
import type { TiledRegion } from './tiledRegion.ts';
import { CAMERA_PLANE } from './frameMap.ts';

const [W, H] = [480, 320];
/** The hole and its rim in tiles of 16 px: the hole spans the border between ground and wall at x = 240. */
const [COLS, ROWS] = [W / 16, H / 16];
const HOLE = { x: 208, y: 128, width: 64, height: 64 };

const inHole = (x: number, y: number): boolean =>
  x >= HOLE.x && x < HOLE.x + HOLE.width && y >= HOLE.y && y < HOLE.y + HOLE.height;

/** A texture of waves that does not repeat within the frame. */
const texture = (x: number, y: number): number =>
  128 + 40 * Math.sin(x / 3.1 + y / 7.3) + 35 * Math.sin(x / 5.7 - y / 4.1) + 25 * Math.sin((x * y) / 700);

/** The camera's plane fills the left half and stands still; on the right a nearer wall moves by `shift` px per frame. */
const footage = (shift: number, blank?: number): FrameReader =>
  paintedFrames(smallFormat(W, H), 5, (x, y, _plane, frame) => {
    if (frame === blank) return 120;
    if (frame === 2 && inHole(x, y)) return 20;
    const moved = shift * (frame - 2);
    return x >= 240 + moved ? texture(x - moved + 900, y) : texture(x, y);
  });

const blocked = blockedCells({ count: 5, format: smallFormat(W, H) }, (frame, x, y) => frame === 2 && inHole(x, y));

const region: TiledRegion = {
  frame: 2,
  rect: { x: 0, y: 0, width: W, height: H },
  cols: COLS,
  rows: ROWS,
  active: Uint8Array.from({ length: COLS * ROWS }, (_, i) => {
    const [x, y] = [(i % COLS) * 16, Math.floor(i / COLS) * 16];
    if (inHole(x, y)) return 2;
    return x >= HOLE.x - 16 && x <= HOLE.x + HOLE.width && y >= HOLE.y - 16 && y <= HOLE.y + HOLE.height ? 1 : 0;
  }),
};

async function finderOf(shift: number, blank?: number): Promise<DepthFinder> {
  const kernels = await loadKernels(64 << 20);
  return new DepthFinder(kernels, stillCamera, new Pyramids(kernels, footage(shift, blank), 5), blocked, 1);
}

async function found(shift: number): Promise<{ motion: DepthMotion; depth: StretchDepth | undefined }> {
  const depth = (await finderOf(shift)).find(region, [0, 1, 3, 4]);
  const motion = new DepthMotion(stillCamera, depth ? [depth] : []);
  motion.lay(region);
  return { motion, depth };
}

it('finds two surfaces at different depths and lays each behind its own part of the hole', async () => {
  const { motion, depth } = await found(2);
  expect(depth!.surfaces.length).toBeGreaterThanOrEqual(2);
  const tiles = motion.surfaces(2)!;
  const moves = (x: number, y: number): number => {
    const points = Float64Array.of(x, y);
    motion.map(2, 4, points, tiles[Math.floor(y / 16) * COLS + Math.floor(x / 16)]);
    expect(Math.abs(points[1] - y)).toBeLessThan(0.2);
    return points[0] - x;
  };
  for (const y of [136, 152, 168, 184]) {
    expect(Math.abs(moves(216, y))).toBeLessThan(0.2);
    expect(Math.abs(moves(262, y) - 4)).toBeLessThan(0.2);
  }
});

it('knows how a source it did not measure depths with sees them, and maps a frame on itself untouched', async () => {
  const { motion } = await found(2);
  const wall = motion.surfaces(2)![9 * COLS + 16];
  expect(motion.knows(2, 1, wall)).toBe(true);
  const points = Float64Array.of(262, 150);
  motion.map(2, 2, points, wall);
  expect([...points]).toEqual([262, 150]);
  motion.map(2, 1, points, CAMERA_PLANE);
  expect([...points]).toEqual([262, 150]);
});

it('leaves the camera’s motion alone where everything lies on its plane', async () => {
  const { motion, depth } = await found(0);
  expect(depth).toBeUndefined();
  expect(motion.surfaces(2)).toBeUndefined();
});

it('shares the depths of the middle frame with the others of its stretch', async () => {
  const work = [1, 2, 3].map((frame) => ({
    region: { ...region, frame },
    sources: [0, 1, 2, 3, 4].filter((s) => s !== frame),
  }));
  const depth = (await finderOf(2)).findStretch(work, 2);
  expect(depth!.surfaces.length).toBeGreaterThanOrEqual(2);
  const motion = new DepthMotion(stillCamera, [depth!]);
  for (const frame of [1, 3]) {
    motion.lay({ ...region, frame });
    const tiles = motion.surfaces(frame)!;
    const moves = (x: number, y: number, to: number): number => {
      const points = Float64Array.of(x, y);
      motion.map(frame, to, points, tiles[Math.floor(y / 16) * COLS + Math.floor(x / 16)]);
      return points[0] - x;
    };
    for (const to of [0, 2, 4]) {
      expect(Math.abs(moves(216, 150, to))).toBeLessThan(0.2);
      expect(Math.abs(moves(264, 150, to) - 2 * (to - frame))).toBeLessThan(0.2);
    }
    expect(motion.knows(frame, 4, tiles[9 * COLS + 16])).toBe(true);
  }
});

it('measures a stretch in another of its frames where the middle one tells nothing', async () => {
  const work = [1, 2, 3].map((frame) => ({ region: { ...region, frame }, sources: [0, 1, 2, 3, 4] }));
  const depth = (await finderOf(2, 2)).findStretch(work, 2);
  expect(depth!.frame).toBe(1);
  const motion = new DepthMotion(stillCamera, [depth!]);
  motion.lay({ ...region, frame: 3 });
  const moves = (x: number): number => {
    const points = Float64Array.of(x, 150);
    motion.map(3, 0, points, motion.surfaces(3)![Math.floor(150 / 16) * COLS + Math.floor(x / 16)]);
    return points[0] - x;
  };
  expect(Math.abs(moves(216))).toBeLessThan(0.2);
  expect(Math.abs(moves(264) + 6)).toBeLessThan(0.3);
});

describe('between the keys of two stretches', () => {
  const tile: TiledRegion = {
    frame: 1,
    rect: { x: 160, y: 160, width: 16, height: 16 },
    cols: 1,
    rows: 1,
    active: Uint8Array.of(2),
  };
  const placeIn = (depths: StretchDepth[], frame: number, to: number): number => {
    const motion = new DepthMotion(stillCamera, depths);
    motion.lay({ ...tile, frame });
    const points = Float64Array.of(168, 168);
    motion.map(frame, to, points, motion.surfaces(frame)![0]);
    return points[0] - 168;
  };

  it('a place is a mean of what both say, the nearer key counting more', () => {
    const both = [evenStretch(0, 1), evenStretch(4, 1.2)];
    expect(placeIn(both, 0, 9)).toBeCloseTo(9, 3);
    expect(placeIn(both, 1, 9)).toBeCloseTo(8 * (0.75 + 0.25 * 1.2), 3);
    expect(placeIn(both, 3, 9)).toBeCloseTo(6 * (0.25 + 0.75 * 1.2), 3);
    expect(placeIn(both, 4, 9)).toBeCloseTo(6, 3);
  });

  it('two that mean different surfaces are not mixed: the nearer key is believed', () => {
    const both = [evenStretch(0, 1), evenStretch(4, 3)];
    expect(placeIn(both, 1, 9)).toBeCloseTo(8, 3);
    expect(placeIn(both, 3, 9)).toBeCloseTo(18, 3);
  });

  it('a frame that only one of them knows is left to that one', () => {
    const both = [evenStretch(0, 1), evenStretch(4, 1.2, [0, 1, 2, 3])];
    expect(placeIn(both, 1, 9)).toBeCloseTo(8, 3);
    expect(placeIn(both, 1, 2)).toBeCloseTo(0.75 + 0.25 * 1.2, 3);
  });

  it('the nearer key says which of two surfaces is nearer, the camera’s plane having the depth 0', () => {
    const order = (nearer: StretchDepth['nearer']): (boolean | undefined)[] => {
      const motion = new DepthMotion(stillCamera, [{ ...evenStretch(0, 1), nearer }, evenStretch(4, 1.2)]);
      motion.lay(tile);
      const [surface] = motion.surfaces(1)!;
      return [motion.isNearer(1, surface, CAMERA_PLANE, 168, 168), motion.isNearer(1, CAMERA_PLANE, surface, 168, 168)];
    };
    expect(order(1)).toEqual([true, false]);
    expect(order(-1)).toEqual([false, true]);
    expect(order(0)).toEqual([undefined, undefined]);
  });

  it('where neither reaches, the camera’s plane is all there is', () => {
    const motion = new DepthMotion(stillCamera, [evenStretch(0, 1, [0, 1])]);
    motion.lay({ ...tile, frame: 3 });
    expect(motion.surfaces(3)).toBeUndefined();
  });
});
