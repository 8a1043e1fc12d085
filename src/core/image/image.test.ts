import { describe, expect, it } from '@jest/globals';
import { multiply3 } from '../geometry/homography.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import { boxMean } from './boxMean.ts';
import { fromRgb, rangeOf, storedChange, toRgb, type ColourModel } from './colourModel.ts';
import { components } from './components.ts';
import { dilated } from './dilated.ts';
import { around, frameBytes, grow, intersect, planeBytes, planeViews, snap } from './format.ts';
import { SlotCache } from './lru.ts';
import { boxOf, cellsUnder, createMatteCells, fillMatteCells, FREE, HOLE, NEAR, readBlocked } from './matteCells.ts';

/** A mask from rows of text: # is set. */
const maskOf = (...rows: string[]): Uint8Array => Uint8Array.from(rows.join(''), (c) => (c === '#' ? 1 : 0));

describe('boxMean', () => {
  it('is the mean of what is there of a square, at the borders of fewer px', () => {
    const mean = boxMean(Float32Array.of(1, 2, 3, 4, 5, 6, 7, 8, 9), 3, 3, 1);
    expect(mean[4]).toBeCloseTo(5);
    expect(mean[0]).toBeCloseTo((1 + 2 + 4 + 5) / 4);
    expect(mean[5]).toBeCloseTo((2 + 3 + 5 + 6 + 8 + 9) / 6);
  });

  it('of a square larger than the picture is the mean of all of it', () => {
    for (const v of boxMean(Float32Array.of(1, 3, 5, 7), 2, 2, 9)) expect(v).toBeCloseTo(4);
  });

  it('agrees with sums px by px', () => {
    const [w, h, radius] = [13, 9, 2];
    const values = Float32Array.from({ length: w * h }, (_, i) => (i * 7919) % 101);
    const slow = values.map((_, i) => {
      const [x, y] = [i % w, Math.floor(i / w)];
      const near = [...values.keys()].filter(
        (j) => Math.abs((j % w) - x) <= radius && Math.abs(Math.floor(j / w) - y) <= radius,
      );
      return near.reduce((sum, j) => sum + values[j], 0) / near.length;
    });
    boxMean(values, w, h, radius).forEach((v, i) => expect(v).toBeCloseTo(slow[i], 3));
  });
});

describe('colour models', () => {
  const bt709: ColourModel = { kind: 'ycc', kr: 0.2126, kb: 0.0722, full: false };
  const apply = (m: Float64Array, v: number[]): number[] =>
    [0, 3, 6].map((r) => m[r] * v[0] + m[r + 1] * v[1] + m[r + 2] * v[2]);

  it('lead to R’G’B’ and back', () => {
    for (const kind of ['ycc', 'rgb'] as const) {
      const model = { ...bt709, kind };
      multiply3(fromRgb(model), toRgb(model)).forEach((v, i) => expect(v).toBeCloseTo(i % 4 === 0 ? 1 : 0, 12));
    }
  });

  it('follow BT.709: pure red is a fifth of luma and half of the red difference', () => {
    const [y, cb, cr] = apply(fromRgb(bt709), [1, 0, 0]);
    expect(y).toBeCloseTo(0.2126, 6);
    expect(cr).toBeCloseTo(0.5, 6);
    expect(cb).toBeCloseTo(-0.2126 / 1.8556, 6);
  });

  it('a grey of any model has no colour', () => {
    const [y, cb, cr] = apply(fromRgb(bt709), [0.4, 0.4, 0.4]);
    expect(y).toBeCloseTo(0.4, 12);
    expect(Math.hypot(cb, cr)).toBeCloseTo(0, 12);
  });

  it('planes of RGB come as green, blue, red', () => {
    expect(apply(fromRgb({ ...bt709, kind: 'rgb' }), [0.1, 0.2, 0.3])).toEqual([0.2, 0.3, 0.1]);
  });

  it('a change that does nothing to R’G’B’ does nothing to what is stored', () => {
    const none = Float64Array.of(1, 0, 0, 0, 1, 0, 0, 0, 1);
    storedChange(bt709, none).forEach((v, i) => expect(v).toBeCloseTo(i % 4 === 0 ? 1 : 0, 12));
  });

  it('ranges are those of 8 bit, scaled with the depth', () => {
    const ten = { ...smallFormat(4, 4, true), depth: 10 };
    expect(rangeOf(bt709, ten, 0)).toEqual({ zero: 64, one: 876 });
    expect(rangeOf(bt709, ten, 1)).toEqual({ zero: 512, one: 896 });
    expect(rangeOf({ ...bt709, full: true }, ten, 0)).toEqual({ zero: 0, one: 1023 });
    expect(rangeOf({ ...bt709, full: true }, ten, 2)).toEqual({ zero: 512, one: 1023 });
  });
});

describe('masks', () => {
  it('px that touch by a corner hang together, others do not', () => {
    const groups = components(maskOf('##..', '..#.', '....', '#..#'), 4, 4);
    expect(groups.map((g) => [...g].sort((a, b) => a - b))).toEqual([[0, 1, 6], [12], [15]]);
  });

  it('nothing set is no group', () => {
    expect(components(new Uint8Array(12), 4, 3)).toEqual([]);
  });

  it('dilated reaches one px to all sides and not around a border', () => {
    expect(dilated(maskOf('...#', '....', '....'), 4, 3)).toEqual(maskOf('..##', '..##', '....'));
    expect(dilated(maskOf('....', '.#..', '....'), 4, 3)).toEqual(maskOf('###.', '###.', '###.'));
  });
});

describe('rectangles', () => {
  const r = { x: 3, y: 5, width: 10, height: 4 };

  it('that do not meet have nothing in common, not less than nothing', () => {
    expect(intersect(r, { x: 20, y: 5, width: 5, height: 4 }).width).toBe(0);
    expect(intersect(r, { x: 8, y: 0, width: 50, height: 7 })).toEqual({ x: 8, y: 5, width: 5, height: 2 });
  });

  it('one without a size does not count towards what is around two', () => {
    expect(around({ x: 0, y: 0, width: 0, height: 0 }, r)).toEqual(r);
    expect(around({ x: 0, y: 6, width: 2, height: 9 }, r)).toEqual({ x: 0, y: 5, width: 13, height: 10 });
  });

  it('snap outwards to a grid, below zero too', () => {
    expect(snap(r, 4)).toEqual({ x: 0, y: 4, width: 16, height: 8 });
    expect(snap(grow(r, 4), 4)).toEqual({ x: -4, y: 0, width: 24, height: 16 });
  });
});

describe('stored frames', () => {
  it('have planes one after another, of one byte or two a sample', () => {
    const eight = smallFormat(5, 3, true);
    expect([0, 1, 2].map((p) => planeBytes(eight, p))).toEqual([15, 6, 6]);
    expect(frameBytes({ ...eight, depth: 12 })).toBe(54);
  });

  it('are seen as samples without being copied', () => {
    const format = { ...smallFormat(2, 2, true), depth: 10 };
    const frame = new Uint8Array(frameBytes(format));
    const [luma, cb, cr] = planeViews(frame, format);
    expect([luma.length, cb.length, cr.length]).toEqual([4, 1, 1]);
    cb[0] = 0x0201;
    expect([...frame.subarray(8, 10)]).toEqual([1, 2]);
  });
});

describe('SlotCache', () => {
  const counted = (size: number): { cache: SlotCache<{ key: number }>; filled: number[] } => {
    const filled: number[] = [];
    const slots = Array.from({ length: size }, () => ({ key: -1 }));
    const cache = new SlotCache(slots, (key, slot) => {
      if (key < 0) throw new RangeError('no such frame');
      filled.push(key);
      slot.key = key;
    });
    return { cache, filled };
  };

  it('gives up the one unused for longest', () => {
    const { cache, filled } = counted(2);
    for (const key of [1, 2, 1, 3, 1, 2]) expect(cache.get(key).key).toBe(key);
    expect(filled).toEqual([1, 2, 3, 2]);
  });

  it('loses no slot when one cannot be filled', () => {
    const { cache, filled } = counted(1);
    cache.get(1);
    expect(() => cache.get(-1)).toThrow('no such frame');
    expect(cache.get(2).key).toBe(2);
    expect(cache.get(1).key).toBe(1);
    expect(filled).toEqual([1, 2, 1]);
  });
});

describe('matte cells', () => {
  const [W, H] = [1024, 64];
  const box = { x: 100, y: 20, width: 9, height: 6 };
  const inside = (x: number, y: number): boolean =>
    intersect(box, { x, y, width: 1, height: 1 }).width > 0 && y >= 20 && y < 26;
  const mattes = paintedFrames(smallFormat(W, H), 3, (x, y, _plane, frame) => (frame === 1 && inside(x, y) ? 255 : 0));

  it('say what is hole, what lies near it and what is free, with its box and area', async () => {
    const cells = createMatteCells(W, H, 3);
    for (const t of [0, 1]) fillMatteCells(await loadKernels(), cells, mattes, t);
    expect([cells.cell, cells.cols, cells.rows]).toEqual([4, 256, 16]);
    expect(boxOf(cells, 1)).toEqual(box);
    expect(cells.area[1]).toBeCloseTo(54, 9);
    expect([boxOf(cells, 0).width, cells.area[0]]).toEqual([0, 0]);
    const stateAt = (x: number, y: number): number => cells.state[256 * 16 + (y >> 2) * 256 + (x >> 2)];
    expect(stateAt(104, 22)).toBe(HOLE);
    // The box ends in row 25, what is up to three px away is tainted: row 28 is, column 112 is not.
    expect(stateAt(104, 28)).toBe(NEAR);
    expect(stateAt(112, 22)).toBe(FREE);
    expect(stateAt(118, 22)).toBe(FREE);
    expect(stateAt(104, 44)).toBe(FREE);
  });

  it('what is held out is neither hole nor background', () => {
    const both = paintedFrames(
      { ...smallFormat(4, 1), planes: [...smallFormat(4, 1).planes, ...smallFormat(4, 1).planes] },
      1,
      (x, _y, plane) => (plane === 0 ? [0, 255, 10, 0] : [0, 0, 200, 90])[x],
    );
    const into = new Uint8Array(4);
    readBlocked(both, 0, 0, 1, into);
    expect([...into]).toEqual([0, 255, 200, 90]);
  });

  it('are found under squares, those outside of the picture left out', () => {
    const grid = { cell: 4, cols: 5, rows: 3 };
    expect([...cellsUnder(grid, [8, 6], 4)].sort((a, b) => a - b)).toEqual([6, 7]);
    expect([...cellsUnder(grid, [0, 0, 100, 100], 4)]).toEqual([0]);
  });
});
