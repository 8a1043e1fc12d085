import { beforeAll, describe, expect, it } from '@jest/globals';
import type { Kernels } from '../../kernels/index.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import type { BlockedCells } from '../image/blockedCells.ts';
import { blockedCells } from '../testing/blocked.ts';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import { gaussFrom } from '../testing/random.ts';
import {
  farSample,
  nearSample,
  onFar as far,
  onNear as near,
  TWO_DEPTHS,
  twoDepths,
  witnessesOf,
} from '../testing/twoDepths.ts';
import { detailCostsOn, disagreement, poorCost } from './agreement.ts';
import { TriedTiles } from './chooseSurfaces.ts';
import type { PlaceIn, TileWindow, Witnesses } from './tileWindows.ts';

const SIDE = 16;
const { width, height, border: BORDER } = TWO_DEPTHS;
const [COLS, ROWS] = [width / SIDE, height / SIDE];

const hiding = (hides: (t: number, x: number, y: number) => boolean): BlockedCells =>
  blockedCells({ count: TWO_DEPTHS.count, format: smallFormat(width, height) }, hides);

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels(64 << 20);
});

/** @param hides - Whether something stands before a px of a frame. */
const witnesses = (hides: (frame: number, x: number, y: number) => boolean): Witnesses =>
  witnessesOf(kernels, twoDepths(BORDER, hides), SIDE);

const tileAt = (c: number, r: number) => ({ tile: r * COLS + c, x: c * SIDE, y: r * SIDE });
/** Tiles well inside of both halves, that no frame moves beyond the border. */
const TILES = [3, 4, 5, 6, 13, 14, 15, 16].flatMap((c) => [1, 2].map((r) => tileAt(c, r)));
const TRUTH = TILES.map(({ x }) => (x < BORDER ? 0 : 1));

function chooseSurfaces(seen: Witnesses, surfaces: readonly PlaceIn[], tiles: readonly TileWindow[]): Uint8Array {
  const tried = new TriedTiles(seen, tiles);
  return tried.choose(
    surfaces.map((place) => tried.on(place)),
    COLS,
    ROWS,
  );
}

/** A surface that no frame shows. */
const outOfView: PlaceIn = (_, points) => {
  points.fill(-100);
  return true;
};

describe('the surface behind a tile', () => {
  it('is the one under which the frames agree', () => {
    const seen = witnesses(() => false);
    expect([...chooseSurfaces(seen, [far, near], TILES)]).toEqual(TRUTH);
    const [onFar, onNear] = [far, near].map((place) => disagreement(seen, place, TILES));
    TRUTH.forEach((truth, t) => {
      const [right, wrong] = truth === 0 ? [onFar, onNear] : [onNear, onFar];
      expect(right[t]).toBeLessThan(2);
      expect(wrong[t]).toBeGreaterThan(20);
    });
  });

  it('is not told by a frame in which something stands before it', () => {
    // A post of stronger texture before the far half, in one of the frames that are asked, at the very place.
    const seen = witnesses((frame, x) => frame === 2 && x >= 3 * SIDE - 4 && x < 7 * SIDE + 4);
    expect([...chooseSurfaces(seen, [far, near], TILES)]).toEqual(TRUTH);
  });

  it('is unknown where fewer than two frames see it, and then that of its neighbours', () => {
    const seen = { ...witnesses(() => false), blocked: hiding((_, x) => x >= 5 * SIDE && x < 6 * SIDE) };
    const hidden = TILES.map(({ x }) => x === 5 * SIDE);
    const variance = disagreement(seen, far, TILES);
    hidden.forEach((is, t) => expect(Number.isNaN(variance[t])).toBe(is));
    expect([...chooseSurfaces(seen, [far, near], TILES)].slice(0, 8)).toEqual(TRUTH.slice(0, 8));
  });

  it('is not one on which no frame shows it, as long as frames agree far better about one of the others', () => {
    const seen = witnesses(() => false);
    // Of tiles with the border in them no surface shows all.
    const withBorder = [1, 2].map((r) => ({ tile: r * COLS + 9, x: BORDER - 15, y: r * SIDE }));
    const chosen = chooseSurfaces(seen, [far, near, outOfView], [...TILES, ...withBorder]);
    expect([...chosen].slice(0, TILES.length)).toEqual(TRUTH);
    expect([...chosen]).not.toContain(2);
  });

  it('is the one that goes on with what the frame shows beside it, though the sources agree better about something even', () => {
    // The far half as an unsteady picture shows it, and at its right something even.
    const frames = paintedFrames(smallFormat(width, height), TWO_DEPTHS.count, (x, y, _plane, t) =>
      x < BORDER ? farSample(x, y) + ((x * 7919 + y * 104729 + t * 1299709) % 7) : 120,
    );
    const even: PlaceIn = (_, points) => {
      for (let i = 0; i < points.length; i += 2) points[i] += BORDER;
      return true;
    };
    // Something thin goes through the middle of each tile, and rests.
    const blocked = hiding((t, _x, y) => t === TWO_DEPTHS.frame && Math.abs((y % SIDE) - 8) < 4);
    const tiles = TILES.slice(0, 8);
    const chosen = chooseSurfaces({ ...witnessesOf(kernels, frames, SIDE), blocked }, [far, even], tiles);
    expect([...chosen]).toEqual(tiles.map(() => 0));
  });

  it.each([
    [
      'is the one on which it has detail, rather than one on which frames show but the even wall beside that',
      120,
      0,
      1,
      0,
    ],
    ['is so where noise is smoothed, and frames show the detail up to two px beside its place', 120, 0, 0.5, 1.8],
    ['may be even, if that is something else than what the detail has beside it', 60, 1, 1, 0],
  ])('%s', (_, level, surface, noise, sway) => {
    const gauss = gaussFrom(7);
    // Soft posts on a wall, as an unsteady picture shows them; farther right something even.
    const frames = paintedFrames(smallFormat(width, height), TWO_DEPTHS.count, (x, _y, _plane, t) => {
      const unrest = noise * gauss();
      const post = 15 - 15 * Math.cos((2 * Math.PI * (x + sway * ((t % 5) / 2 - 1))) / 32);
      return x < BORDER ? 120 + post + 1.5 * unrest : level + unrest;
    });
    const even: PlaceIn = (source, points) => {
      if (source !== TWO_DEPTHS.frame) for (let i = 0; i < points.length; i += 2) points[i] += BORDER;
      return true;
    };
    const blocked = hiding((t) => t === TWO_DEPTHS.frame);
    const tiles = [2, 4, 6].flatMap((c) => [1, 2].map((r) => tileAt(c, r)));
    const chosen = chooseSurfaces({ ...witnessesOf(kernels, frames, SIDE), blocked }, [far, even], tiles);
    expect([...chosen]).toEqual(tiles.map(() => surface));
  });

  it('is rather one on which it is hidden than one about which frames agree no better than about another', () => {
    const frames = paintedFrames(smallFormat(width, height), TWO_DEPTHS.count, (x, y, _plane, t) =>
      x < BORDER - 10 ? (x * 7919 + y * 104729 + t * 1299709 * (x + y)) % 251 : nearSample(x, y, t),
    );
    const chosen = chooseSurfaces(witnessesOf(kernels, frames, SIDE), [far, near, outOfView], TILES.slice(4));
    expect([...chosen]).toEqual(TRUTH.slice(4).map((truth) => (truth === 0 ? 2 : 1)));
  });

  it('is that of those beside it where no frame shows it on any', () => {
    const row = [11, 12, 13, 14, 15, 16].map((c) => tileAt(c, 1));
    const hides = (_: number, x: number): boolean => x >= 12 * SIDE && x < 16 * SIDE;
    const seen = { ...witnesses(() => false), blocked: hiding(hides), sources: [5, 7] };
    expect([...chooseSurfaces(seen, [far, near], row)]).toEqual([1, 1, 1, 1, 1, 1]);
  });

  it('is not one on which frames see what lies elsewhere, all of them the same way', () => {
    // The far half: something stands before four of its tiles in every frame. Led 70 px to the right, all frames show the same of them.
    const row = [1, 2, 3, 4, 5, 6].map((c) => tileAt(c, 1));
    const hides = (_: number, x: number): boolean => x >= 2 * SIDE && x < 6 * SIDE;
    const seen = { ...witnesses(() => false), blocked: hiding(hides), sources: [2, 3, 4, 5, 7] };
    const elsewhere: PlaceIn = (_, points) => {
      for (let i = 0; i < points.length; i += 2) points[i] += 70;
      return true;
    };
    expect([...chooseSurfaces(seen, [far, elsewhere], row)]).toEqual([0, 0, 0, 0, 0, 0]);
  });

  it('is that of something thin before what is even, though half of the frames show nothing where it would be on another', () => {
    const wall = (x: number, y: number, t: number): number => 120 + ((x * 7919 + y * 104729 + t * 1299709) % 2);
    const pole = (x: number, t: number): boolean =>
      Math.abs(x - TWO_DEPTHS.parallax * (t - TWO_DEPTHS.frame) - 152 - (t % 4 === 0 ? 0.6 : -0.6)) < 2;
    const frames = paintedFrames(smallFormat(width, height), TWO_DEPTHS.count, (x, y, _plane, t) =>
      pole(x, t) ? 20 : wall(x, y, t),
    );
    const seen = {
      ...witnessesOf(kernels, frames, SIDE),
      blocked: hiding((t) => t === TWO_DEPTHS.frame),
    };
    const [tiles, places] = [[1, 2].map((r) => tileAt(9, r)), [far, near]];
    expect([...chooseSurfaces(seen, places, tiles)]).toEqual([1, 1]);
    const [plain, thin] = places.map((place) => detailCostsOn(seen, place, tiles, 5));
    expect([...plain].every(Number.isNaN)).toBe(true);
    expect(Math.max(...thin)).toBeLessThan(poorCost(seen));
  });
});
