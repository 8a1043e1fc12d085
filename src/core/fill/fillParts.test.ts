import { beforeAll, describe, expect, it } from '@jest/globals';
import type { Kernels } from '../../kernels/index.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import { storedFormat } from '../../media/pixelFormat.ts';
import { addBorder, detailTrust } from './borderField.ts';
import { fitLight, spreadOf } from './light.ts';
import { membrane } from './membrane.ts';
import { TILE } from './region.ts';
import { fitTransfer, identityTransfer } from './transfer.ts';
import { gaussFrom, randomFrom } from '../testing/random.ts';

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels(64 << 20);
});

const random = randomFrom(1);
const gauss = gaussFrom(2);

describe('light', () => {
  it('finds gain and offset although a tenth of the pairs is another thing', () => {
    const source = Float32Array.from({ length: 500 }, () => 100 + 60 * random());
    const target = source.map((v, i) => (i % 10 === 0 ? 30 : 1.2 * v - 9 + gauss()));
    const fit = fitLight(source, target, 1)!;
    expect(fit.gain).toBeCloseTo(1.2, 1);
    expect(fit.gain * 100 + fit.offset).toBeCloseTo(111, 0);
    expect(spreadOf(source, target, fit)).toBeCloseTo(1, 0);
  });

  it('measures only an offset from few pairs, and nothing from none', () => {
    const source = Float32Array.from({ length: 40 }, (_, i) => i);
    expect(
      fitLight(
        source,
        source.map((v) => v + 5),
        1,
      ),
    ).toMatchObject({ gain: 1, offset: 5 });
    expect(fitLight(new Float32Array(3), new Float32Array(3), 1)).toBeUndefined();
  });
});

describe('membrane', () => {
  it('runs straight between two known ends', () => {
    const grid = { cols: 9, rows: 1 };
    const sum = new Float32Array(9);
    const weight = new Float32Array(9);
    sum[0] = 8;
    sum[8] = 16;
    weight[0] = weight[8] = 1;
    const field = membrane(grid, sum, weight);
    expect([...field]).toEqual([8, 9, 10, 11, 12, 13, 14, 15, 16].map((v) => expect.closeTo(v, 1)));
  });

  it('is 0 where nothing is known', () => {
    expect([...membrane({ cols: 2, rows: 2 }, new Float32Array(4), new Float32Array(4))]).toEqual([0, 0, 0, 0]);
  });
});

describe('the border of what is open', () => {
  // Three by three tiles; open is a square of 10 px in the middle one.
  const side = 3 * TILE;
  const rect = { x: 0, y: 0, width: side, height: side };
  const active = new Uint8Array(9).fill(1);
  active[4] = 2;
  const alpha = new Uint8Array(side * side);
  const open = new Uint8Array(side * side);
  for (let y = 19; y < 29; y++) open.fill(1, y * side + 19, y * side + 29);
  const known = open.map((v) => 1 - v);
  const region = { frame: 0, rect, cols: 3, rows: 3, active, alpha, known };
  const spots = { known, open, tiles: active.map((v) => v >> 1) };
  const { format } = storedFormat('gray', side, side);
  const picture = (at: (x: number) => number): Float32Array => Float32Array.from(open, (_, i) => at(i % side));
  const row = 24 * side;

  it('is met sample by sample, by what lies right beside it alone', () => {
    // The truth rises by 2 a px, with a bright line two px away.
    const truth = picture((x) => (x === 30 ? 250 : 2 * x));
    const samples = picture(() => 40);
    addBorder(region, format, 0, samples, truth, spots);
    for (const x of [19, 22, 25, 28]) expect(Math.abs(samples[row + x] - 2 * x)).toBeLessThan(0.5);
    expect([samples[row + 18], samples[row + 29]]).toEqual([40, 40]);
  });

  it('tells whether the detail of samples is that of the ground, or of a light that has moved since', () => {
    const line = picture((x) => (x === 24 ? 200 : 90));
    const inOtherLight = line.map((v) => v + 25);
    expect(detailTrust(region, format, inOtherLight, line, spots, 1)).toEqual([expect.closeTo(1, 1)]);
    const shade = picture((x) => (x > 20 && x < 28 ? 40 : 90));
    const lit = picture(() => 90);
    expect(detailTrust(region, format, shade, lit, spots, 1)).toEqual([expect.closeTo(0, 1)]);
  });

  it('keeps as much of the detail as it is trusted', () => {
    const [truth, blob] = [picture(() => 90), Float32Array.from(open, (v, i) => 90 - 40 * v * (i % 2))];
    for (const [trust, middle] of [
      [1, 50],
      [0.25, 80],
      [0, 90],
    ]) {
      const samples = blob.slice();
      addBorder(region, format, 0, samples, truth, spots, [trust]);
      expect([samples[row + 24], samples[row + 25]]).toEqual([expect.closeTo(90, 0), expect.closeTo(middle, 0)]);
    }
  });
});

describe('transfer', () => {
  const [w, h] = [80, 60];
  const sharp = Float32Array.from({ length: w * h }, () => 120 + 50 * random());
  const rim = new Uint8Array(w * h).fill(1);
  const apply = (kernel: number[][]): Float32Array => {
    const out = sharp.slice();
    for (let y = 1; y < h - 1; y++) {
      for (let x = 1; x < w - 1; x++) {
        let s = 0;
        for (let j = 0; j < 3; j++) for (let i = 0; i < 3; i++) s += kernel[j][i] * sharp[(y + j - 1) * w + x + i - 1];
        out[y * w + x] = s;
      }
    }
    return out;
  };

  it('finds the blur that the frame has and the gathered picture has not', () => {
    const fitted = fitTransfer(
      kernels,
      sharp,
      apply([
        [0, 0, 0],
        [0.25, 0.5, 0.25],
        [0, 0, 0],
      ]),
      rim,
      w,
      h,
      1,
    );
    expect(fitted[12]).toBeCloseTo(0.5, 1);
    expect(fitted[11]).toBeCloseTo(0.25, 1);
    expect(fitted[13]).toBeCloseTo(0.25, 1);
    expect(fitted.reduce((a, b) => a + b)).toBeCloseTo(1, 5);
  });

  it('changes nothing where the rim is too small to tell', () => {
    expect(fitTransfer(kernels, sharp, sharp, new Uint8Array(w * h), w, h, 1)).toEqual(identityTransfer());
  });
});
