import { beforeAll, describe, expect, it } from '@jest/globals';
import type { Kernels } from '../../kernels/index.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import { smallFormat } from '../testing/frames.ts';
import { CELL } from './offsetGrid.ts';
import { HOLE_TILE, RIM_TILE, TILE, type Region } from './region.ts';
import { activeCells, cellDifferences, fieldOf, plusField } from './smoothField.ts';

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels(32 << 20);
});

/** A region of tiles of the given kinds. */
function tiles(cols: number, ...kinds: number[]): Region {
  const rows = kinds.length / cols;
  const n = cols * rows * TILE * TILE;
  return {
    frame: 3,
    rect: { x: 0, y: 0, width: cols * TILE, height: rows * TILE },
    cols,
    rows,
    active: Uint8Array.from(kinds),
    alpha: new Uint8Array(n),
    known: new Uint8Array(n).fill(1),
  };
}

describe('differences per cell', () => {
  const region = tiles(2, RIM_TILE, 0);
  const format = smallFormat(2 * TILE, TILE, true);

  it('are summed over the px that count, in active tiles alone', () => {
    const n = 2 * TILE * TILE;
    const [a, b] = [new Float32Array(n).fill(7), new Float32Array(n).fill(5)];
    const counts = new Uint8Array(n).fill(1);
    // One px of the second cell says nothing, and one of the third something else.
    counts[CELL + 1] = 0;
    a[CELL * 2 * TILE] = 15;
    const { sum, squares, weight } = cellDifferences(region, format, 0, a, b, counts);
    expect([...weight]).toEqual([64, 63, 0, 0, 64, 64, 0, 0]);
    expect([...sum]).toEqual([128, 126, 0, 0, 136, 128, 0, 0]);
    expect([...squares]).toEqual([256, 252, 0, 0, 352, 256, 0, 0]);
  });

  it('of a plane of half the size fall into the same cells', () => {
    const n = (TILE * TILE) / 2;
    const a = Float32Array.from({ length: n }, (_, i) => (i % TILE < CELL / 2 ? 1 : 4));
    const { sum, weight } = cellDifferences(
      region,
      format,
      1,
      a,
      new Float32Array(n),
      new Uint8Array(2 * TILE * TILE).fill(1),
    );
    expect([...weight]).toEqual([16, 16, 0, 0, 16, 16, 0, 0]);
    expect([...sum]).toEqual([16, 64, 0, 0, 16, 64, 0, 0]);
  });
});

describe('a field over the active tiles', () => {
  it('has four cells in each of them', () => {
    expect([...activeCells(tiles(2, 0, RIM_TILE, HOLE_TILE, 0))]).toEqual([2, 3, 6, 7, 8, 9, 12, 13]);
  });

  it('is as high as what is known, everywhere, if that is the same everywhere', () => {
    const region = tiles(3, RIM_TILE, HOLE_TILE, RIM_TILE);
    const weight = Float32Array.from({ length: 12 }, (_, i) => (i % 6 === 0 || i % 6 === 5 ? 4 : 0));
    const field = fieldOf(region, { sum: weight.map((w) => 2.5 * w), weight });
    expect([...field]).toEqual([...field].map(() => expect.closeTo(2.5, 4)));
  });

  it('is added to the samples of tiles of a kind, and to no others', () => {
    const region = tiles(3, RIM_TILE, HOLE_TILE, 0);
    const samples = new Float32Array(3 * TILE * TILE).fill(10);
    const field = new Float32Array(12).fill(3);
    const format = smallFormat(3 * TILE, TILE);
    const onHole = plusField(kernels, samples, region, format, 0, field);
    expect([onHole[0], onHole[TILE], onHole[2 * TILE]]).toEqual([10, 13, 10]);
    const onRim = plusField(kernels, samples, region, format, 0, field, RIM_TILE);
    expect([onRim[0], onRim[TILE], onRim[2 * TILE]]).toEqual([13, 13, 10]);
    expect(samples[TILE]).toBe(10);
  });
});
