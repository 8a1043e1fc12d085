import { beforeAll, describe, expect, it } from '@jest/globals';
import type { Kernels } from '../../kernels/index.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import { packFrame, unpackFrame } from '../../media/storedFrame.ts';
import { smallFormat } from '../testing/frames.ts';
import type { Gathered } from './gather.ts';
import { CELL } from './measure.ts';
import { HOLE_TILE, RIM_TILE, TILE, type Region } from './region.ts';
import { activeCells, cellDifferences, fieldOf, plusField } from './smoothField.ts';
import { upscalePatch } from './upscale.ts';

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

describe('a gathered frame', () => {
  it('is kept to a fraction of a level, in its active tiles, and seen stays seen', () => {
    const region = tiles(2, HOLE_TILE, 0);
    const n = 2 * TILE * TILE;
    const planes = [Float32Array.from({ length: n }, (_, i) => (i % 256) + 0.37)];
    const support = new Float32Array(n).fill(2.5);
    support[0] = 0;
    support[1] = 0.001;
    const format = smallFormat(2 * TILE, TILE);
    const stored = packFrame({ region, planes, support } as unknown as Gathered, format);
    expect([stored.frame, stored.planes[0].length, stored.support.length]).toEqual([3, 256, 256]);
    const back = unpackFrame(stored, region, format);
    expect([back.planes[0][5], back.planes[0][TILE], back.planes[0][40]]).toEqual([
      expect.closeTo(5.37, 2),
      0,
      expect.closeTo(40.37, 2),
    ]);
    expect([back.support[0], back.support[1] > 0, back.support[2]]).toEqual([0, true, 2.5]);
  });
});

describe("a draft's patch at full size", () => {
  const [w, h, factor] = [16, 8, 4];
  const full = smallFormat(w * factor, h * factor);
  const patchOf = (sample: (x: number, y: number) => number) => ({
    frame: 0,
    rect: { x: 0, y: 0, width: w, height: h },
    planes: [Uint16Array.from({ length: w * h }, (_, i) => sample(i % w, Math.floor(i / w)))],
    hole: 6,
    unseen: 2,
  });

  it('lies where the small one lay, and counts its px at full size', () => {
    const alpha = new Uint8Array(w * h);
    alpha[3 * w + 9] = 255;
    const patch = upscalePatch(
      kernels,
      patchOf(() => 90),
      alpha,
      full,
      factor,
    );
    expect(patch.rect).toEqual({ x: 32, y: 0, width: 16, height: 16 });
    expect([patch.hole, patch.unseen]).toEqual([6 * 16, 2 * 16]);
    // Px (9, 3) of the small matte covers px 36..39, 12..15 of the frame.
    expect(patch.planes[0][12 * 16 + 4]).toBe(90);
  });

  it('goes straight through a slope: sample i is the mean of those that it stands for', () => {
    const alpha = new Uint8Array(w * h).fill(255);
    const { planes, rect } = upscalePatch(
      kernels,
      patchOf((x) => 8 * x),
      alpha,
      full,
      factor,
    );
    // The small sample 7 lies at 29.5 of the frame: 2 levels a px.
    const at = (x: number): number => planes[0][16 * rect.width + x];
    expect([at(29), at(30), at(34)]).toEqual([55, 57, 65]);
  });

  it('is empty without a matte', () => {
    const { rect, planes } = upscalePatch(
      kernels,
      patchOf(() => 90),
      new Uint8Array(w * h),
      full,
      factor,
    );
    expect([rect.width, rect.height, planes[0].length]).toEqual([0, 0, 0]);
  });
});
