import { beforeAll, describe, expect, it } from '@jest/globals';
import type { Kernels } from '../../kernels/index.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import { createMatteCells, fillMatteCells, type MatteCells } from '../image/matteCells.ts';
import { CameraMotion, solveCamera } from '../motion/cameraMotion.ts';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import { carriedBy } from './carriedBy.ts';
import { goesWith, isCarried, unlike } from './goesWith.ts';
import { matteWay } from './matteWay.ts';
import { pairsApart } from './pairs.ts';

const [W, H, COUNT] = [64, 48, 12];
const SIZE = { width: W, height: H };
let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels(32 << 20);
});

/** Mattes with a rectangle 16 px wide and 8 high, whose left edge lies at x(t) and whose first row at y. */
function cellsOf(x: (t: number) => number, y = 20): MatteCells {
  const mattes = paintedFrames(smallFormat(W, H), COUNT, (i, j, _plane, t) =>
    i >= x(t) && i < x(t) + 16 && j >= y && j < y + 8 ? 255 : 0,
  );
  const cells = createMatteCells(W, H, COUNT);
  for (let t = 0; t < COUNT; t++) fillMatteCells(kernels, cells, mattes, t);
  return cells;
}

/** A camera that rests. */
const resting = () => solveCamera(W, H, COUNT, [], 1);

describe('the way of a matte', () => {
  it('is that of its middle, and its size the side of a square as large', () => {
    const way = matteWay(
      cellsOf((t) => 10 + 2 * t),
      SIZE,
    );
    expect(way[3]).toEqual({ x: 16 + 7.5, y: 23.5, size: Math.sqrt(128) });
  });

  it('is known at the picture’s border by the side that is in view', () => {
    // At frame 0 half of it has come in from the left.
    const way = matteWay(
      cellsOf((t) => -8 + 4 * t),
      SIZE,
    );
    expect(way[0]).toEqual({ x: -0.5, y: 23.5, size: Math.sqrt(128) });
    const above = matteWay(
      cellsOf(() => 20, -3),
      SIZE,
    );
    expect(above.every((place) => place === undefined)).toBe(true);
  });

  it('is not known where there is none', () => {
    const way = matteWay(
      cellsOf((t) => (t < 4 ? 100 : 20)),
      SIZE,
    );
    expect(way.map((place) => place !== undefined)).toEqual(Array.from({ length: COUNT }, (_, t) => t >= 4));
  });

  it('becomes a motion that leads its middle from frame to frame', () => {
    const motion = new CameraMotion(
      carriedBy(
        matteWay(
          cellsOf((t) => (t < 2 ? 100 : 4 + 3 * t)),
          SIZE,
        ),
        resting(),
      ),
    );
    const at = Float64Array.of(20, 30);
    motion.map(3, 8, at);
    expect(at[0]).toBeCloseTo(35, 9);
    expect(at[1]).toBeCloseTo(30, 9);
    // Without the matte nothing tells where the thing is.
    expect([motion.sameScene(3, 8), motion.sameScene(1, 3), motion.sameScene(0, 1)]).toEqual([true, false, false]);
  });
});

describe('pairs of frames', () => {
  it('are as far apart as the matte needs to have moved on', () => {
    const cells = cellsOf((t) => 2 + 4 * t);
    const pairs = pairsApart(matteWay(cells, SIZE), new CameraMotion(resting()));
    // Eight px are needed, and four are gone in a frame.
    expect(new Set(pairs.map(({ from, to }) => Math.abs(from - to)))).toEqual(new Set([2]));
  });

  it('are none where the matte rests on its background', () => {
    expect(
      pairsApart(
        matteWay(
          cellsOf(() => 20),
          SIZE,
        ),
        new CameraMotion(resting()),
      ),
    ).toEqual([]);
  });
});

describe('what is around a matte', () => {
  /** Stripes, every other column, of the world and of a board that goes along with the matte. */
  const light = (carried: boolean) => ({
    of: (t: number) => (x: number, y: number) => {
      const board = carried && Math.abs(x - (9.5 + 4 * t)) < 14 && Math.abs(y - 23.5) < 12;
      return board ? 80 + 9 * ((Math.round(x) - 4 * t + 64) % 5) : 120 + 20 * (Math.round(x) % 3);
    },
  });

  it('goes with the matte if that lies on something that moves, and else with the background', () => {
    const cells = cellsOf((t) => 2 + 4 * t);
    const camera = resting();
    const way = matteWay(cells, SIZE);
    const motions = { background: new CameraMotion(camera), matte: new CameraMotion(carriedBy(way, camera)) };
    const [on, before] = [true, false].map((carried) => goesWith(light(carried), cells, { from: 3, to: 6 }, motions));
    expect(on.matte).toBe(0);
    expect(on.background).toBeGreaterThan(5);
    expect(before.background).toBe(0);
    expect(before.matte).toBeGreaterThanOrEqual(0);
    expect(isCarried([on, on, on, on])).toBe(true);
    expect(isCarried([before, before, before, before])).toBe(false);
    // Too few tell anything.
    expect(isCarried([on, on, on, { background: NaN, matte: 0 }])).toBe(false);
    // Two of four.
    expect(isCarried([on, on, before, before])).toBe(false);
  });

  it('is compared without what all of it differs by, and not at all where less than half can be', () => {
    const places = Float64Array.of(0, 0, 1, 0, 2, 0, 3, 0);
    const shown = [10, 20, 30, 40];
    const brighter = [15, 25, 35, 46];
    const at = (values: number[]) => (x: number) => values[x];
    expect(unlike(places, places, at(shown), at(brighter))).toBe(0);
    expect(unlike(places, places, at(shown), at([15, 20, 35, 50]))).toBe(2.5);
    expect(unlike(places, places, at(shown), at([15, NaN, NaN, NaN]))).toBeNaN();
  });
});
