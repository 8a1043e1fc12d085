import { describe, expect, it } from '@jest/globals';
import { loadKernels } from '../../media/kernelFile.ts';
import type { FrameReader } from '../image/format.ts';
import { cellsUnder, createMatteCells, fillMatteCells, FREE, HOLE, NEAR } from '../image/matteCells.ts';
import { CameraMotion, solveCamera } from '../motion/cameraMotion.ts';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import { chooseSources, worthOf, type SourceBudget } from './chooseSources.ts';
import { bestAnchor, REVEAL_LEVEL, regrade, revealOf } from './reveal.ts';
import { ladder, VisibilityFinder, type Visibility } from './visibility.ts';

const [W, H] = [64, 48];

/** Mattes with a square of side 16 whose left edge lies at x(t). */
const squares = (count: number, x: (t: number) => number): FrameReader =>
  paintedFrames(smallFormat(W, H), count, (i, j, _plane, t) =>
    i >= x(t) && i < x(t) + 16 && j >= 16 && j < 32 ? 255 : 0,
  );

async function finderFor(count: number, x: (t: number) => number, reach: number) {
  const mattes = squares(count, x);
  const cells = createMatteCells(W, H, count);
  const kernels = await loadKernels(32 << 20);
  for (let t = 0; t < count; t++) fillMatteCells(kernels, cells, mattes, t);
  const motion = new CameraMotion(solveCamera(W, H, count, [], 1));
  return { cells, finder: new VisibilityFinder(kernels, motion, cells, reach) };
}

/** Numbers from 0 to 1 (Park & Miller 1988). */
function pseudoRandom(seed: number): () => number {
  let state = seed * 7919 + 1;
  return () => (state = (state * 48271) % 2147483647) / 2147483647;
}

/** The greedy choice as it is defined: the worth of every source left is counted in each round. */
function eagerly({ cells, sources, seen, frame }: Visibility, most: number, enough: number): number[] {
  const have = [...cells].map(() => 0);
  const left = new Set(sources.keys());
  const chosen: number[] = [];
  // Beside the most, four more for what these do not show.
  for (let wanted = enough; chosen.length < most + 4;) {
    if (chosen.length >= most) wanted = 1;
    const worth = (k: number): number =>
      have.reduce((sum, h, i) => sum + (seen[k * have.length + i] === 1 && h < wanted ? 1 / (1 + h) : 0), 0) *
      worthOf(sources[k], frame);
    const best = [...left].reduce<number | undefined>(
      (b, k) => (b === undefined || worth(k) > worth(b) ? k : b),
      undefined,
    );
    if (best === undefined || worth(best) === 0) break;
    left.delete(best);
    chosen.push(sources[best]);
    have.forEach((_, i) => (have[i] += seen[best * have.length + i]));
  }
  return chosen.sort((a, b) => a - b);
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

describe('cells under squares', () => {
  const grid = { cell: 4, cols: 5, rows: 3 };

  it('are those that a square touches, within the frame', () => {
    // From 2 to 6 across and 6 to 10 down.
    expect([...cellsUnder(grid, [4, 8], 4)]).toEqual([5, 6, 10, 11]);
    expect([...cellsUnder(grid, [6, 6], 4)]).toEqual([6]);
    expect([...cellsUnder(grid, [-1, -1, 19, 11], 4)].sort((a, b) => a - b)).toEqual([0, 14]);
    expect([...cellsUnder(grid, [-10, 5, 6, 40], 4)]).toEqual([]);
  });
});

describe('what a reveal takes back', () => {
  it('counts as never seen, once, and only in the hole', () => {
    const { none, unseen, thin, seen } = REVEAL_LEVEL;
    const reveal = {
      frame: 3,
      hole: 64,
      seen: 32,
      thin: 16,
      unseen: 16,
      map: Uint8Array.of(none, seen, thin, unseen, seen),
    };
    regrade(reveal, [0, 1, 2, 3], 'unseen', 4);
    regrade(reveal, [1], 'unseen', 4);
    expect([...reveal.map]).toEqual([none, unseen, unseen, unseen, seen]);
    expect(reveal).toMatchObject({ hole: 64, seen: 16, thin: 0, unseen: 48 });
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
  const budget = (most: number, enough: number, more = 4): SourceBudget => ({ most, enough, more });

  it('looks at all near frames and at a common grid of far ones', () => {
    const steps = ladder(50, 40, 200);
    expect(steps.slice(0, 4)).toEqual([49, 51, 48, 52]);
    expect(steps).toContain(58);
    expect(steps).not.toContain(61);
    expect(steps).toContain(84);
    expect(steps).not.toContain(86);
    expect(ladder(0, 3, 2)).toEqual([1]);
    expect(ladder(0, 150, 400).filter((s) => s > 100)).toEqual([108, 120, 132, 144]);
  });

  it('asks far frames about what no near one shows, and only that', async () => {
    // The square rests until frame 140, and is gone from there on; in frame 20 it lies half beside.
    const place = (t: number): number => (t >= 140 ? 100 : t === 20 ? 28 : 20);
    const { finder } = await finderFor(160, place, 300);
    const { cells, sources, seen } = finder.find(30);
    const shows = (s: number): number => {
      const k = sources.indexOf(s);
      return seen.subarray(k * cells.length, (k + 1) * cells.length).reduce((a, b) => a + b, 0);
    };
    expect(sources).toContain(144);
    expect(shows(20)).toBeGreaterThan(0);
    expect(shows(144)).toBeGreaterThan(0);
    expect(shows(20) + shows(144)).toBe(cells.length);
    // Who may look no farther does not.
    const { finder: near } = await finderFor(160, place, 100);
    expect(Math.max(...near.find(30).sources)).toBeLessThanOrEqual(130);
  });

  it('takes frames that add something before frames that repeat', () => {
    const visibility = {
      frame: 10,
      cells: Int32Array.of(0, 1),
      sources: [9, 11, 30],
      seen: Uint8Array.of(1, 0, 1, 0, 0, 1),
    };
    expect(chooseSources(visibility, budget(2, 4))).toEqual([9, 30]);
    expect(chooseSources(visibility, budget(9, 1))).toEqual([9, 30]);
  });

  it('takes frames that its neighbours take too, but for what they do not show', () => {
    const sources = [9, 11, 12, 6];
    const all = { frame: 10, cells: Int32Array.of(0, 1), sources, seen: new Uint8Array(8).fill(1) };
    expect(chooseSources(all, budget(2, 4))).toEqual([6, 12]);
    // Only frame 11 shows the second cell.
    const seen = Uint8Array.of(1, 0, 1, 1, 1, 0, 1, 0);
    expect(chooseSources({ ...all, seen }, budget(3, 2))).toEqual([6, 11, 12]);
    expect([worthOf(12, 10) > worthOf(9, 10), worthOf(12, 10) > worthOf(18, 10)]).toEqual([true, true]);
  });

  it('are a few more where the best ones leave something unseen', () => {
    // Frames 12 and 18 show the first two cells, far frame 96 the third one alone.
    const sources = [12, 18, 96];
    const seen = Uint8Array.of(1, 1, 0, 1, 1, 0, 0, 0, 1);
    const visibility = { frame: 10, cells: Int32Array.of(0, 1, 2), sources, seen };
    expect(chooseSources(visibility, budget(2, 4))).toEqual([12, 18, 96]);
    expect(chooseSources(visibility, budget(2, 4, 0))).toEqual([12, 18]);
    // Nothing is left to see: then no more than wanted.
    expect(
      chooseSources(
        { frame: 10, cells: Int32Array.of(0, 1), sources: [12, 18, 24], seen: new Uint8Array(6).fill(1) },
        budget(2, 4),
      ),
    ).toEqual([12, 18]);
  });

  it('are those that counting every one anew each time would give', () => {
    for (let trial = 0; trial < 40; trial++) {
      const random = pseudoRandom(trial);
      const [n, count] = [1 + Math.floor(60 * random()), 1 + Math.floor(20 * random())];
      const often = random();
      const visibility = {
        frame: 50,
        cells: Int32Array.from({ length: n }, (_, i) => i),
        sources: Array.from({ length: count }, (_, k) => 30 + 2 * k),
        seen: Uint8Array.from({ length: n * count }, () => (random() < often ? 1 : 0)),
      };
      const [most, enough] = [1 + Math.floor(9 * random()), 1 + Math.floor(5 * random())];
      expect(chooseSources(visibility, budget(most, enough))).toEqual(eagerly(visibility, most, enough));
    }
  });
});
