import { beforeAll, describe, expect, it } from '@jest/globals';
import type { Kernels } from '../../kernels/index.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import { smallFormat } from '../testing/frames.ts';
import { gaussFrom, randomFrom } from '../testing/random.ts';
import { nothingOf, type Gathered } from './gathered.ts';
import { BLOCK_FLOATS } from './grain.ts';
import { measureRim } from './measure.ts';
import type { Region } from './region.ts';

const TILES = 8;
const SIDE = TILES * 16;
const N = SIDE * SIDE;
const format = smallFormat(SIDE, SIDE);
const LIGHTER = 3;

const random = randomFrom(7);
const ground = Float32Array.from({ length: N }, () => 100 + 30 * random());

/** A frame three levels lighter than what is gathered for it, with grain of one level, and something that stands before part of it. */
function gathered(before: (x: number, y: number) => number | undefined): Gathered {
  const gauss = gaussFrom(9);
  const region: Region = {
    frame: 0,
    rect: { x: 0, y: 0, width: SIDE, height: SIDE },
    cols: TILES,
    rows: TILES,
    active: new Uint8Array(TILES * TILES).fill(2),
    alpha: new Uint8Array(N),
    known: new Uint8Array(N).fill(1),
  };
  const own = ground.map((v, i) => (before(i % SIDE, Math.floor(i / SIDE)) ?? v + LIGHTER) + gauss());
  const out = nothingOf(region, [1, 2], [own]);
  out.planes[0].set(ground);
  out.support.fill(2);
  out.share.fill(1);
  return out;
}

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels(32 << 20);
});

/** Offset of the light, and grain, as the rim tells them. */
function told(of: Gathered): { offset: number; grain: number } {
  const { offsets, grain } = measureRim(kernels, of, format, true).measure;
  const total = (values: Float32Array): number => values.reduce((sum, v) => sum + v, 0);
  const variances = Array.from({ length: grain[0].length / BLOCK_FLOATS }, (_, k) => grain[0][k * BLOCK_FLOATS + 1]);
  return {
    offset: total(offsets[0].sum) / total(offsets[0].weight),
    grain: Math.sqrt(total(Float32Array.from(variances)) / variances.length),
  };
}

describe('what the rim tells', () => {
  it('is the light of the frame, and its grain', () => {
    const { offset, grain } = told(gathered(() => undefined));
    expect(offset).toBeCloseTo(LIGHTER, 1);
    expect(Math.abs(grain - 1)).toBeLessThan(0.15);
  });

  it('is not told by people who pass, though they stand before half of it', () => {
    // As light as the ground on the whole, but smooth.
    const { offset, grain } = told(gathered((x) => (x < 68 ? 112 : undefined)));
    expect(offset).toBeCloseTo(LIGHTER, 0);
    expect(Math.abs(grain - 1)).toBeLessThan(0.3);
  });
});
