import { beforeAll, describe, expect, it } from '@jest/globals';
import type { Kernels } from '../../kernels/index.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import { smallFormat } from '../testing/frames.ts';
import { BandBuffers } from './bandBuffers.ts';
import { medianOfChroma, medianOfLuma } from './medianBand.ts';
import { RIM_TILE, TILE, type Region } from './region.ts';

const SOURCES = 4;
const N = TILE * TILE;
const format = smallFormat(TILE, TILE, true);
const region: Region = {
  frame: 0,
  rect: { x: 0, y: 0, width: TILE, height: TILE },
  cols: 1,
  rows: 1,
  active: Uint8Array.of(RIM_TILE),
  alpha: new Uint8Array(N),
  known: new Uint8Array(N),
};

let kernels: Kernels;
let band: BandBuffers;
beforeAll(async () => {
  kernels = await loadKernels(16 << 20);
});

/** A band in which all px of a source have one value. @param usable - Per source, whether a px may be used. */
function fill(plane: number, values: number[], usable: (source: number, px: number) => boolean): void {
  band = new BandBuffers(kernels, region, format, SOURCES);
  const n = band.samples[plane];
  kernels.f32(band.values[plane], n * SOURCES).set(values.flatMap((v) => Array<number>(n).fill(v)));
  const flags = kernels.u8(band.usable, N * SOURCES);
  for (let i = 0; i < flags.length; i++) flags[i] = usable(Math.floor(i / N), i % N) ? 1 : 0;
  kernels.f32(band.mean, N).fill(-1);
}

describe('the median of a band', () => {
  it('is the middle one of those that see a px, or between the two in the middle', () => {
    fill(0, [40, 10, 200, 30], (source, px) => px > 0 && (source < 3 || px > 1));
    medianOfLuma(kernels, band, SOURCES);
    const mean = kernels.f32(band.mean, N);
    // Px 0 is seen by nobody and stays; px 1 by three, the others by all.
    expect([mean[0], mean[1], mean[2], mean[N - 1]]).toEqual([-1, 40, 35, 35]);
  });

  it('of chroma is taken in the light of the frame, where the luma at its corner is seen', () => {
    fill(1, [40, 10, 200, 30], (source, px) => source < 3 || px !== 2);
    const params = [1, 0, 1, 2, 5, 1, 1, 0.5, 1, 1, 0, 1];
    medianOfChroma(kernels, band, SOURCES, 1, params, TILE / 2, 2, 2);
    const mean = kernels.f32(band.mean, N / 4);
    // 40, 2·10 + 5, 200 / 2 and 30: without the last the middle is 40.
    expect([mean[0], mean[1], mean[2]]).toEqual([35, 40, 35]);
  });
});
