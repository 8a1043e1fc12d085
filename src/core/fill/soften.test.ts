import { beforeAll, describe, expect, it } from '@jest/globals';
import type { Kernels } from '../../kernels/index.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import { storedFormat } from '../../media/pixelFormat.ts';
import { gaussFrom, randomFrom } from '../testing/random.ts';
import { nothingOf, type Gathered } from './gathered.ts';
import { HOLE_TILE, TILE, type Region } from './region.ts';
import { findSoftening, soften, softenPlanes } from './soften.ts';

const TILES = 8;
const SIDE = TILES * TILE;
const N = SIDE * SIDE;
const { format } = storedFormat('yuv420p', SIDE, SIDE);
const GRAIN = 1.5;
/** What is hidden: a square in the middle. */
const FROM = 48;
const TO = 80;

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels(32 << 20);
});

const random = randomFrom(3);
/** Specks of two px. */
const speckled = Float32Array.from({ length: (N / 4) | 0 }, () => 90 + 90 * random());
const sharp = Float32Array.from({ length: N }, (_, i) => {
  const [x, y] = [i % SIDE, Math.floor(i / SIDE)];
  return speckled[(y >> 1) * (SIDE / 2) + (x >> 1)];
});

/** A Gaussian over a square picture whose edge goes on. */
function blurred(picture: Float32Array, sigma: number, side = SIDE): Float32Array {
  const taps = Array.from({ length: 25 }, (_, k) => Math.exp(-((k - 12) ** 2) / (2 * sigma ** 2)));
  const sum = taps.reduce((a, b) => a + b);
  const within = (v: number): number => Math.min(side - 1, Math.max(0, v));
  const along = (of: Float32Array, step: (i: number, d: number) => number): Float32Array =>
    of.map((_, i) => taps.reduce((s, tap, k) => s + (tap / sum) * of[step(i, k - 12)], 0));
  const rows = along(picture, (i, d) => i - (i % side) + within((i % side) + d));
  return along(rows, (i, d) => within(Math.floor(i / side) + d) * side + (i % side));
}

function gathered(frame: Float32Array, shown: Float32Array): Gathered {
  const gauss = gaussFrom(5);
  const hidden = (i: number): boolean => [i % SIDE, Math.floor(i / SIDE)].every((v) => v >= FROM && v < TO);
  const region: Region = {
    frame: 0,
    rect: { x: 0, y: 0, width: SIDE, height: SIDE },
    cols: TILES,
    rows: TILES,
    active: new Uint8Array(TILES * TILES).fill(HOLE_TILE),
    alpha: Uint8Array.from({ length: N }, (_, i) => (hidden(i) ? 255 : 0)),
    known: Uint8Array.from({ length: N }, (_, i) => (hidden(i) ? 0 : 1)),
  };
  const chroma = new Float32Array(N / 4).fill(128);
  const out = nothingOf(region, [1, 2, 3], [frame.map((v) => v + GRAIN * gauss()), chroma, chroma]);
  out.planes[0].set(shown);
  out.planes[1].set(chroma.map((v, i) => v + (i % 2 === 0 ? 10 : -10)));
  out.planes[2].set(chroma);
  out.support.fill(3);
  return out;
}

const inHole = (of: Gathered): number[] => [...of.region.alpha.keys()].filter((i) => of.region.alpha[i] > 0);
const errorOf = (of: Gathered, samples: Float32Array, truth: Float32Array): number => {
  const px = inHole(of);
  return Math.sqrt(px.reduce((s, i) => s + (samples[i] - truth[i]) ** 2, 0) / px.length);
};

describe('a frame that is softer than its sources', () => {
  it('softens what was gathered as far as it takes', () => {
    const frame = blurred(sharp, 2.6);
    const of = gathered(frame, sharp);
    const softening = findSoftening(kernels, of, format)!;
    expect(softening.kernels.length).toBeGreaterThan(1);
    const { planes } = soften(kernels, of, format, softening);
    expect(errorOf(of, of.planes[0], frame)).toBeGreaterThan(15);
    expect(errorOf(of, planes[0], frame)).toBeLessThan(1.5);
    // About 2.6² px² in luma; colour has a quarter of it, and its stripes are gone.
    expect(Math.sqrt((softening.across + softening.down) / 2)).toBeGreaterThan(1.9);
    expect(
      inHole(of).filter((i) => Math.abs(planes[1][((i / SIDE) >> 1) * (SIDE / 2) + ((i % SIDE) >> 1)] - 128) > 2),
    ).toEqual([]);
  });

  it('is blurred along its movement alone', () => {
    const frame = sharp.map((_, i) => {
      const x = i % SIDE;
      let sum = 0;
      for (let d = -4; d <= 4; d++) sum += sharp[i - x + Math.min(SIDE - 1, Math.max(0, x + d))];
      return sum / 9;
    });
    const of = gathered(frame, sharp);
    const softening = findSoftening(kernels, of, format)!;
    expect(softening.across).toBeGreaterThan(2);
    expect(softening.down).toBeLessThan(softening.across / 5);
    expect(errorOf(of, soften(kernels, of, format, softening).planes[0], frame)).toBeLessThan(5);
  });

  it('is not taken for softer because of the grain of what was gathered, or when it is sharper', () => {
    const gauss = gaussFrom(8);
    const even = new Float32Array(N).fill(120);
    expect(
      findSoftening(
        kernels,
        gathered(
          even,
          even.map((v) => v + GRAIN * gauss()),
        ),
        format,
      ),
    ).toBeUndefined();
    expect(findSoftening(kernels, gathered(sharp, blurred(sharp, 1.5)), format)).toBeUndefined();
    expect(findSoftening(kernels, gathered(sharp, sharp), format)).toBeUndefined();
  });
});

describe('what is softened', () => {
  it('is not drawn towards what no source shows', () => {
    const frame = blurred(sharp, 2);
    const of = gathered(frame, sharp);
    const softening = findSoftening(kernels, of, format)!;
    const shown = of.planes.map((p) => p.slice());
    const seen = new Float32Array(N).fill(1);
    for (const i of inHole(of)) {
      seen[i] = 0;
      shown[0][i] = NaN;
    }
    const [luma] = softenPlanes(kernels, shown, seen, of.region, format, softening);
    const beside = FROM - 1 + (FROM + 10) * SIDE;
    expect(Math.abs(luma[beside] - frame[beside])).toBeLessThan(12);
    expect(inHole(of).every((i) => luma[i] === 0)).toBe(true);
  });
});
