import { beforeAll, describe, expect, it } from '@jest/globals';
import type { Kernels } from '../../kernels/index.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import { Pyramids } from '../motion/pyramids.ts';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import { gaussFrom } from '../testing/random.ts';
import { chooseSurfaces, disagreement, type PlaceIn, type Witnesses } from './chooseSurfaces.ts';

const [W, H] = [320, 64];
const SIDE = 16;
const COUNT = 13;
const FRAME = 6;
/** Px per frame that the near half moves against the far one. */
const PARALLAX = 5;
const [COLS, ROWS] = [W / SIDE, H / SIDE];

const gauss = gaussFrom(5);
const noise = Float32Array.from({ length: 1024 * H }, gauss);
/** A texture whose details are a few px wide. */
const texture = (x: number, y: number): number => {
  let sum = 0;
  for (let v = 0; v < 3; v++) for (let u = 0; u < 3; u++) sum += noise[((y + v) % H) * 1024 + ((x + u + 512) % 1024)];
  return 120 + 2 * sum;
};
/** Left of it lies the far half, as frame 6 shows it. */
const BORDER = W / 2;

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels(64 << 20);
});

/** @param hides - Whether something stands before a px of a frame. */
function witnesses(hides: (frame: number, x: number, y: number) => boolean): Witnesses {
  const frames = paintedFrames(smallFormat(W, H), COUNT, (x, y, _plane, frame) => {
    const shift = PARALLAX * (frame - FRAME);
    if (hides(frame, x, y)) return (7 * x + 13 * y) % 256;
    return x - shift < BORDER ? texture(x, y) : texture(x - shift + 300, y);
  });
  return {
    kernels,
    pyramids: new Pyramids(kernels, frames, COUNT),
    blocked: () => false,
    frame: FRAME,
    sources: [0, 2, 4, 8, 10, 12],
    tileSide: SIDE,
    unit: 1,
  };
}

const far: PlaceIn = () => true;
const near: PlaceIn = (source, points) => {
  for (let i = 0; i < points.length; i += 2) points[i] += PARALLAX * (source - FRAME);
  return true;
};
const tileAt = (c: number, r: number) => ({ tile: r * COLS + c, x: c * SIDE, y: r * SIDE });
/** Tiles well inside of both halves, that no frame moves beyond the border. */
const TILES = [3, 4, 5, 6, 13, 14, 15, 16].flatMap((c) => [1, 2].map((r) => tileAt(c, r)));
const TRUTH = TILES.map(({ x }) => (x < BORDER ? 0 : 1));

describe('the surface behind a tile', () => {
  it('is the one under which the frames agree', () => {
    const seen = witnesses(() => false);
    expect([...chooseSurfaces(seen, [far, near], TILES, COLS, ROWS)]).toEqual(TRUTH);
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
    expect([...chooseSurfaces(seen, [far, near], TILES, COLS, ROWS)]).toEqual(TRUTH);
  });

  it('is unknown where fewer than two frames see it, and then that of its neighbours', () => {
    const seen = { ...witnesses(() => false), blocked: (_: number, x: number) => x >= 5 * SIDE && x < 6 * SIDE };
    const hidden = TILES.map(({ x }) => x === 5 * SIDE);
    const variance = disagreement(seen, far, TILES);
    hidden.forEach((is, t) => expect(Number.isNaN(variance[t])).toBe(is));
    expect([...chooseSurfaces(seen, [far, near], TILES, COLS, ROWS)].slice(0, 8)).toEqual(TRUTH.slice(0, 8));
  });
});
