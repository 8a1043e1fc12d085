import { describe, expect, it } from '@jest/globals';
import { loadKernels } from '../../media/kernelFile.ts';
import type { FrameReader } from '../image/format.ts';
import { createMatteCells, fillMatteCells, FREE, HOLE, NEAR } from '../image/matteCells.ts';
import { CameraMotion, solveCamera } from '../motion/cameraMotion.ts';
import { chooseSources } from './chooseSources.ts';
import { bestAnchor, REVEAL_LEVEL, revealOf } from './reveal.ts';
import { ladder, VisibilityFinder } from './visibility.ts';

const [W, H] = [64, 48];

/** Mattes with a square of side 16 whose left edge lies at x(t). */
function squares(count: number, x: (t: number) => number): FrameReader {
  const format = {
    width: W,
    height: H,
    depth: 8,
    planes: [{ width: W, height: H, stepX: 1, stepY: 1 }],
    colourPlanes: 1,
  };
  return {
    format,
    count,
    readRows(frame, _plane, y, rows, into) {
      for (let j = 0; j < rows; j++) {
        for (let i = 0; i < W; i++) {
          const inside = i >= x(frame) && i < x(frame) + 16 && y + j >= 16 && y + j < 32;
          into[j * W + i] = inside ? 255 : 0;
        }
      }
    },
  };
}

async function finderFor(count: number, x: (t: number) => number, reach: number) {
  const mattes = squares(count, x);
  const cells = createMatteCells(W, H, count);
  const kernels = await loadKernels(32 << 20);
  for (let t = 0; t < count; t++) fillMatteCells(kernels, cells, mattes, t);
  const motion = new CameraMotion(solveCamera(W, H, count, [], 1));
  return { cells, finder: new VisibilityFinder(kernels, motion, cells, reach) };
}

describe('matteCells', () => {
  it('marks hole and tainted neighbourhood, box and area', async () => {
    const { cells } = await finderFor(1, () => 8, 1);
    expect(cells.cell).toBe(1);
    const at = (x: number, y: number): number => cells.state[y * cells.cols + x];
    expect([at(8, 16), at(23, 31), at(7, 16), at(5, 20), at(4, 20)]).toEqual([HOLE, HOLE, NEAR, NEAR, FREE]);
    expect([...cells.boxes]).toEqual([8, 16, 16, 16]);
    expect(cells.area[0]).toBe(256);
  });
});

describe('reveal', () => {
  it('remembers all that a thing uncovers as it moves on', async () => {
    const { cells, finder } = await finderFor(10, (t) => t * 5, 9);
    const r = revealOf(finder.find(4), cells);
    expect(r).toMatchObject({ hole: 256, seen: 256, unseen: 0 });
  });

  it('calls unseen what no frame in reach shows', async () => {
    // The square creeps one px a frame: within two frames only its outermost columns come free.
    const { cells, finder } = await finderFor(10, (t) => 20 + t, 8);
    const r = revealOf(finder.find(5), cells);
    expect(r.unseen).toBeGreaterThan(0);
    expect(r.seen + r.thin + r.unseen).toBe(256);
    expect(r.map.filter((v) => v === REVEAL_LEVEL.unseen).length).toBe(r.unseen);
  });

  it('serves a thing that never moves from one frame', async () => {
    const { cells, finder } = await finderFor(6, () => 24, 5);
    const maps = Array.from({ length: 6 }, (_, t) => revealOf(finder.find(t), cells).map);
    const best = bestAnchor(maps, cells, finder)!;
    expect(best.served).toBe(6 * 256);
    expect(bestAnchor([undefined, undefined], cells, finder)).toBeUndefined();
  });
});

describe('sources', () => {
  it('looks at all near frames and at a common grid of far ones', () => {
    const steps = ladder(50, 40, 200);
    expect(steps.slice(0, 4)).toEqual([49, 51, 48, 52]);
    expect(steps).toContain(58);
    expect(steps).not.toContain(61);
    expect(steps).toContain(84);
    expect(steps).not.toContain(86);
    expect(ladder(0, 3, 2)).toEqual([1]);
  });

  it('takes frames that add something before frames that repeat', () => {
    const visibility = {
      frame: 10,
      cells: Int32Array.of(0, 1),
      sources: [9, 11, 30],
      seen: Uint8Array.of(1, 0, 1, 0, 0, 1),
    };
    expect(chooseSources(visibility, 2, 4)).toEqual([9, 30]);
    expect(chooseSources(visibility, 9, 1)).toEqual([9, 30]);
  });
});
