import { beforeAll, describe, expect, it } from '@jest/globals';
import type { Kernels } from '../../kernels/index.ts';
import { loadKernels } from '../../media/kernelFile.ts';
import { smallFormat } from '../testing/frames.ts';
import { gaussFrom, randomFrom } from '../testing/random.ts';
import { nothingOf, type Gathered } from './gathered.ts';
import type { Region } from './region.ts';
import { relight } from './relight.ts';

const TILES = 10;
const SIDE = TILES * 16;
const N = SIDE * SIDE;
const BLACK = 16;
const format = smallFormat(SIDE, SIDE);
const inHole = (x: number, y: number): boolean => Math.abs(x - 80) < 24 && Math.abs(y - 80) < 40;

const random = randomFrom(7);
const wall = Float32Array.from({ length: N }, () => 50 + 40 * random());

/** A wall with a hole, in the light of the moment, and with whatever stands before it. */
function gathered(shows: (wall: number, x: number, y: number) => number): Gathered {
  const gauss = gaussFrom(9);
  const known = new Uint8Array(N);
  const own = wall.map((v, i) => {
    const [x, y] = [i % SIDE, Math.floor(i / SIDE)];
    known[i] = inHole(x, y) ? 0 : 1;
    return inHole(x, y) ? 255 : shows(v, x, y) + gauss();
  });
  const active = new Uint8Array(TILES * TILES).fill(2);
  const rect = { x: 0, y: 0, width: SIDE, height: SIDE };
  const region: Region = { frame: 0, rect, cols: TILES, rows: TILES, active, alpha: new Uint8Array(N), known };
  const out = nothingOf(region, [1, 2], [own]);
  out.planes[0].set(wall);
  out.support.fill(2);
  out.share.fill(1);
  return out;
}

const lightened = (v: number, by: number): number => BLACK + by * (v - BLACK);
/** A beam from above that is strongest at the picture's upper border. */
const beam = (_x: number, y: number): number => 1 + Math.exp(-((y / 60) ** 2));

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels(32 << 20);
});

const relit = (of: Gathered, strength = 1) => relight(kernels, of, of.region.known, format, strength);

/** Mean and spread of the differences within the upper part of the hole. */
function off(samples: Float32Array): { mean: number; rms: number } {
  let [sum, squares, n] = [0, 0, 0];
  samples.forEach((v, i) => {
    const [x, y] = [i % SIDE, Math.floor(i / SIDE)];
    if (!inHole(x, y) || y > 70) return;
    const d = v - lightened(wall[i], beam(x, y));
    sum += d;
    squares += d * d;
    n++;
  });
  return { mean: sum / n, rms: Math.sqrt(squares / n - (sum / n) ** 2) };
}

describe('light that has changed in a part of the picture', () => {
  it('is carried into the hole, with its contrast', () => {
    const before = gathered((v, x, y) => lightened(v, beam(x, y)));
    const after = relit(before)!;
    expect(off(before.planes[0])).toMatchObject({ rms: expect.closeTo(6.4, 0) });
    const { mean, rms } = off(after.gathered.planes[0]);
    expect(Math.abs(mean)).toBeLessThan(4);
    expect(rms).toBeLessThan(2.5);
    // What was not lit is as it was.
    const low = 150 * SIDE + 20;
    expect(after.gathered.planes[0][low]).toBeCloseTo(wall[low], 0);
  });

  it('is carried as far as the light is to be matched', () => {
    const before = gathered((v, x, y) => lightened(v, beam(x, y)));
    const [half, whole] = [0.5, 1].map((s) => relit(before, s)!.gathered.planes[0]);
    const at = 60 * SIDE + 80;
    expect(half[at] - wall[at]).toBeCloseTo((whole[at] - wall[at]) / 2, 3);
  });

  it('is none where all of it is the same', () => {
    expect(relit(gathered((v) => v))).toBeUndefined();
    expect(relit(gathered((v) => lightened(v, 1.3)))).toBeUndefined();
  });

  it('is neither a thing that passes nor the edge of a shadow', () => {
    // As smooth as a coat; a coat with cloth of its own; a shadow, of which the edge is two px wide.
    const cloth = randomFrom(3);
    const passes = (_x: number, y: number): boolean => y < 36;
    expect(relit(gathered((v, x, y) => (passes(x, y) ? 30 : v)))).toBeUndefined();
    expect(relit(gathered((v, x, y) => (passes(x, y) ? 20 + 40 * cloth() : v)))).toBeUndefined();
    const shade = (y: number): number => 1 - 0.5 * Math.min(1, Math.max(0, (37 - y) / 2));
    expect(relit(gathered((v, _x, y) => lightened(v, shade(y))))).toBeUndefined();
  });
});
