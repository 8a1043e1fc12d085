import { describe, expect, it } from '@jest/globals';
import { loadKernels } from '../../media/kernelFile.ts';
import { identity3 } from '../geometry/homography.ts';
import { Pyramids } from '../motion/pyramids.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import { blockedCells } from '../testing/blocked.ts';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import { alignMotion } from './alignMotion.ts';
import type { TileWindow, Witnesses } from './tileWindows.ts';
import { mapOnSurface, type StretchDepth } from './depthPlaces.ts';
import { DepthFinder } from './findDepth.ts';
import type { AffineShift } from './freeMotion.ts';

const [W, H, COUNT, KEY] = [480, 320, 13, 6];
const COLS = W / 16;
const HOLE = { x: 208, y: 112, width: 96, height: 96 };
const inHole = (x: number, y: number): boolean =>
  x >= HOLE.x && x < HOLE.x + HOLE.width && y >= HOLE.y && y < HOLE.y + HOLE.height;

const texture = (x: number, y: number): number =>
  128 + 40 * Math.sin(x / 3.1 + y / 7.3) + 35 * Math.sin(x / 5.7 - y / 4.1) + 25 * Math.sin((x * y) / 700);

/** What is on the left moves to the right and what is on the right moves down: no camera sees that of a world that stands still. */
const speed = (right: boolean): [number, number] => (right ? [0, 1.4] : [1.1, 0]);

const bending = paintedFrames(smallFormat(W, H), COUNT, (x, y, _plane, frame) => {
  if (frame === KEY && inHole(x, y)) return 20;
  const right = x >= 256;
  const [vx, vy] = speed(right);
  return texture(x - vx * (frame - KEY) + (right ? 900 : 0), y - vy * (frame - KEY));
});

/** A camera that says that nothing moves. */
const still = {
  data: { tripod: false, width: W, height: H },
  map: () => undefined,
  plane: () => identity3(),
} as unknown as CameraMotion;
const shot = { count: COUNT, format: smallFormat(W, H) };
const blocked = blockedCells(shot, (frame, x, y) => frame === KEY && inHole(x, y));

const region = {
  frame: KEY,
  rect: { x: 0, y: 0, width: W, height: H },
  cols: COLS,
  rows: H / 16,
  active: Uint8Array.from({ length: (COLS * H) / 16 }, (_, i) => {
    const [x, y] = [(i % COLS) * 16, Math.floor(i / COLS) * 16];
    if (inHole(x, y)) return 2;
    return inHole(x + 16, y) || inHole(x - 16, y) || inHole(x, y + 16) || inHole(x, y - 16) ? 1 : 0;
  }),
};
const SOURCES = [0, 2, 4, 8, 10, 12];

async function findIn(frames: typeof bending): Promise<StretchDepth | undefined> {
  const kernels = await loadKernels(64 << 20);
  return new DepthFinder(kernels, still, new Pyramids(kernels, frames, COUNT), blocked, 1).find(region, SOURCES);
}

describe('findFree', () => {
  it('lays what moves as no rigid world does behind its own part of the hole', async () => {
    const depth = (await findIn(bending))!;
    for (const [x, y] of [
      [224, 136],
      [232, 184],
      [280, 136],
      [288, 184],
    ]) {
      const surface = depth.tiles[Math.floor(y / 16) * COLS + Math.floor(x / 16)];
      const there = Float64Array.of(x, y);
      expect(mapOnSurface(still, depth, depth.surfaces[surface - 1], 12, there)).toBe(true);
      const [vx, vy] = speed(x >= 256);
      expect(Math.abs(there[0] - x - vx * (12 - KEY))).toBeLessThan(0.3);
      expect(Math.abs(there[1] - y - vy * (12 - KEY))).toBeLessThan(0.3);
    }
  });

  it('looks for nothing where the sources agree', async () => {
    const calm = paintedFrames(smallFormat(W, H), COUNT, (x, y, _plane, frame) =>
      frame === KEY && inHole(x, y) ? 20 : texture(x, y),
    );
    expect(await findIn(calm)).toBeUndefined();
  });

  it('takes nothing that does not make the sources agree better: here each shows something else', async () => {
    const unlike = paintedFrames(smallFormat(W, H), COUNT, (x, y, _plane, frame) =>
      texture(x * (1 + frame / 9) + 131 * frame, y * (1.4 - frame / 17)),
    );
    expect(await findIn(unlike)).toBeUndefined();
  });
});

describe('alignMotion', () => {
  /** A texture that each frame shows moved and grown a little, and darker. */
  const drifting = paintedFrames(smallFormat(W, H), COUNT, (x, y, _plane, frame) => {
    const grown = 1 + 0.002 * (frame - KEY);
    return texture((x - 240) / grown + 240 - (frame - KEY), (y - 160) / grown + 160) - 4 * Math.abs(frame - KEY);
  });
  const tiles: TileWindow[] = [9, 10, 11].flatMap((r) =>
    [13, 14, 15, 16].map((c) => ({ tile: r * COLS + c, x: 16 * c, y: 16 * r })),
  );
  const local = (points: Float32Array): Float64Array =>
    Float64Array.from(points, (v, i) => (v - (i % 2 === 0 ? 240 : 160)) / 100);

  async function aligned(start: (away: number) => AffineShift): Promise<ReadonlyMap<number, AffineShift>> {
    const kernels = await loadKernels(64 << 20);
    const seen: Witnesses = {
      ...{ kernels, pyramids: new Pyramids(kernels, drifting, COUNT), blocked: blockedCells(shot) },
      ...{ frame: KEY, sources: SOURCES, tileSide: 16, unit: 1 },
    };
    const motion = new Map(SOURCES.map((s) => [s, start(s - KEY)]));
    return alignMotion(seen, motion, tiles, { onPlane: () => undefined, local });
  }

  it('brings each source to where it shows what the frame and the sources before it show', async () => {
    const found = await aligned((away) => Float64Array.of(away + 0.7, 0, 0, -0.5, 0, 0));
    for (const [source, shift] of found) {
      const away = source - KEY;
      // Grown by 0.2 % a frame about the middle, which itself has moved.
      const truth = [away * (1 + 0.002 * away), 0.2 * away, 0, 0, 0, 0.2 * away];
      shift.forEach((v, i) => expect(Math.abs(v - truth[i])).toBeLessThan(i % 3 === 0 ? 0.15 : 0.6));
    }
  });

  it('leaves a motion alone that leads nowhere near', async () => {
    const astray = Float64Array.of(60, 0, 0, 60, 0, 0);
    for (const shift of (await aligned(() => astray)).values()) {
      expect(Math.hypot(shift[0] - 60, shift[3] - 60)).toBeLessThan(6);
    }
  });
});
