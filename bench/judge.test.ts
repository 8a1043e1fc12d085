import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { renderShot, type RenderedShot } from '../demo/render.ts';
import { Renderer } from '../demo/renderer.ts';
import { Truth } from '../demo/shot.ts';
import { BLOCK_ROW, blockAt, CAMERA_SPEED, PX_PER_METRE, yard } from '../demo/testing/yard.ts';
import { loadKernels } from '../src/media/kernelFile.ts';
import { Footage } from './footage.ts';
import { cubicAt, oracleFill, robustMean } from './oracle.ts';
import { AlignedMedian, medians, membraneInto, spatialFill, temporalMedian } from './peers.ts';
import { placesOf, type Picture } from './picture.ts';
import { judge } from './shotBench.ts';
import { at, cellsNear, placesIn, STEP, surfacesOf } from './world.ts';

const shot = yard();
const { width: W, height: H } = shot.lens;
const COLS = Math.ceil(W / STEP);
const FRAME = 5;
let folder: string;
let files: RenderedShot;
let clip: Footage;
let truthFootage: Footage;
let matte: Footage;
let truth: Truth;
const masks = new Map<number, Uint8Array>();
const touched = (t: number): Uint8Array => {
  if (!masks.has(t))
    masks.set(
      t,
      matte.bytes(t).map((v) => (v > 0 ? 1 : 0)),
    );
  return masks.get(t)!;
};

beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), 'mnestra-judge-'));
  files = await renderShot(shot, folder, true);
  clip = await Footage.open(files.clip, folder, 'yard-clip');
  truthFootage = await Footage.open(files.truth, folder, 'yard-truth');
  matte = await Footage.open(files.matte, folder, 'yard-matte', true);
  const renderer = await Renderer.create(shot.lens);
  truth = new Truth(renderer, shot, shot.build(renderer));
});
afterAll(async () => {
  for (const footage of [clip, truthFootage, matte]) await footage.close();
  await rm(folder, { recursive: true, force: true });
});

/** Root mean square error of a fill in the hole, levels. */
function errorOf(p: Picture): number {
  const right = truthFootage.luma(FRAME).values;
  const places = placesOf(touched(FRAME));
  return Math.sqrt(places.reduce((sum, i) => sum + (p.values[i] - right[i]) ** 2, 0) / places.length);
}
/** Whether a fill leaves all else as it was. */
function keepsTheRest(p: Picture): boolean {
  const before = clip.luma(FRAME).values;
  return touched(FRAME).every((v, i) => v > 0 || p.values[i] === before[i]);
}

describe('fills to compare with', () => {
  it('take the median of what sources show, and nothing where none shows anything', () => {
    const shown = [
      [1, NaN, 5, NaN],
      [9, 2, 7, NaN],
      [4, 4, NaN, NaN],
    ].map((row) => Float32Array.from(row));
    expect([...medians(shown, 4)]).toEqual([4, 3, 6, NaN]);
    expect([...placesOf(Uint8Array.of(0, 1, 0, 2))]).toEqual([1, 3]);
  });

  describe('with a membrane', () => {
    const slope = (i: number): number => 2 * (i % 20) + 3 * Math.floor(i / 20);
    const whole = Float32Array.from({ length: 400 }, (_, i) => slope(i));
    const hole = Uint8Array.from({ length: 400 }, (_, i) => (i % 20 > 4 && i % 20 < 15 && i > 100 && i < 300 ? 1 : 0));
    const cut = (): Picture => ({ width: 20, height: 20, values: whole.map((v, i) => (hole[i] ? -50 : v)) });
    const expectWhole = (p: Picture): void =>
      p.values.forEach((v, i) => expect(Math.abs(v - whole[i])).toBeLessThan(0.1));

    it('go on from their surroundings', () => {
      const p = cut();
      membraneInto(p, hole, new Float32Array(400));
      expectWhole(p);
    });

    it('keep the shape of a guide that is darker all over', () => {
      const bumpy = whole.map((v, i) => v + 9 * Math.sin(i));
      const p: Picture = { ...cut(), values: bumpy.map((v, i) => (hole[i] ? -50 : v)) };
      membraneInto(
        p,
        hole,
        bumpy.map((v) => v - 30),
      );
      p.values.forEach((v, i) => expect(Math.abs(v - bumpy[i])).toBeLessThan(0.1));
    });

    it('are led by what is known beside them alone', () => {
      // On the right the guide is not known outside of the hole, and the frame is another thing there.
      const p = cut();
      for (let i = 0; i < 400; i++) if (i % 20 > 14) p.values[i] = 250;
      membraneInto(
        p,
        hole,
        whole.map((v, i) => (i % 20 > 14 ? NaN : v - 30)),
      );
      for (let i = 0; i < 400; i++) if (hole[i]) expect(Math.abs(p.values[i] - whole[i])).toBeLessThan(0.1);
    });

    it('reach up to the border of the picture', () => {
      const p: Picture = {
        width: 6,
        height: 6,
        values: Float32Array.from({ length: 36 }, (_, i) => (i % 6 < 3 ? 0 : 8)),
      };
      membraneInto(
        p,
        Uint8Array.from(p.values, (v) => (v === 0 ? 1 : 0)),
        new Float32Array(36),
      );
      p.values.forEach((v) => expect(v).toBeCloseTo(8, 2));
    });
  });

  it('are the better the more they know: membrane, aligned median, and the oracle', async () => {
    const spatial = spatialFill(clip, touched)(FRAME);
    const aligned = new AlignedMedian(await loadKernels(), clip, touched, [-5, -3, 3, 5, 7]).fill(FRAME);
    const behind = surfacesOf(truth, FRAME, W, H);
    const motions = new Map([0, 2, 8, 10, 12].map((s) => [s, placesIn(truth, s, behind)]));
    const oracle = oracleFill(clip, truthFootage, FRAME, touched(FRAME), touched, motions, COLS);
    for (const p of [spatial, aligned, oracle]) expect(keepsTheRest(p)).toBe(true);
    expect(errorOf(spatial)).toBeGreaterThan(3 * errorOf(aligned));
    expect(errorOf(aligned)).toBeLessThan(4);
    // The sensor's grain is two levels; a mean of a few frames has less.
    expect(errorOf(oracle)).toBeLessThan(2);
    expect(errorOf(oracle)).toBeLessThanOrEqual(errorOf(aligned));
  });

  it('are wrong where they do not follow the camera', () => {
    const plain = temporalMedian(clip, touched, [0, 2, 8, 10, 12])(FRAME);
    expect(keepsTheRest(plain)).toBe(true);
    expect(errorOf(plain)).toBeGreaterThan(4);
  });
});

describe('the oracle', () => {
  it('samples a slope and a parabola exactly', () => {
    const p: Picture = { width: 12, height: 12, values: new Float32Array(144) };
    p.values.forEach((_, i) => (p.values[i] = 0.5 * (i % 12) ** 2 - 3 * Math.floor(i / 12)));
    expect(cubicAt(p, 5.3, 6.75)).toBeCloseTo(0.5 * 5.3 ** 2 - 3 * 6.75, 4);
    expect(cubicAt(p, 4, 4)).toBeCloseTo(8 - 12, 5);
  });

  it('does not count what stands far from the others', () => {
    expect(robustMean(Float64Array.of(10, 11, 12, 90))).toBeCloseTo(11, 10);
    expect(robustMean(Float64Array.of(0, 100))).toBe(50);
  });
});

describe('the true motion', () => {
  it('leads a place to itself in its own frame, and against the camera in others', () => {
    const points = surfacesOf(truth, FRAME, W, H);
    const k = 6 * COLS + 10;
    const [own, later] = [FRAME, FRAME + 4].map((t) => placesIn(truth, t, points).subarray(2 * k, 2 * k + 2));
    expect(own[0]).toBeCloseTo(80, 4);
    expect(own[1]).toBeCloseTo(48, 4);
    expect(later[0]).toBeCloseTo(80 - (4 * CAMERA_SPEED * PX_PER_METRE) / shot.rate, 4);
  });

  it('is missing where nothing was asked for, or what is there has left the picture', () => {
    const only = new Uint8Array(COLS * Math.ceil(H / STEP));
    only[3] = 1;
    const points = surfacesOf(truth, FRAME, W, H, only);
    expect(points.flatMap((p, k) => (p ? [k] : []))).toEqual([3]);
    const first = placesIn(truth, 13, surfacesOf(truth, 0, W, H));
    expect(first[0]).toBeNaN();
    expect(first[2 * (COLS - 1)]).not.toBeNaN();
  });

  it('is interpolated between four places, and unknown where one is missing', () => {
    const grid = Float32Array.of(0, 0, 10, 0, 20, 0, 0, 8, 10, 8, NaN, NaN);
    expect(at(grid, 3, 4, 2)).toEqual([5, 2]);
    expect(at(grid, 3, 12, 2)).toBeUndefined();
  });

  it('is looked for about a mask alone', () => {
    const mask = new Uint8Array(W * H);
    mask[40 * W + 80] = 1;
    const cells = cellsNear(mask, W, H);
    const found = [...cells].flatMap((c, k) => (c ? [[k % COLS, Math.floor(k / COLS)]] : []));
    expect(found).toHaveLength(36);
    expect(found[0]).toEqual([8, 3]);
    expect(found.at(-1)).toEqual([13, 8]);
  });
});

describe('the judge of a take', () => {
  const row = (result: Awaited<ReturnType<typeof judge>>, method: string) =>
    result.scores.find((s) => s.method === method)!;

  it('finds nothing changed in the footage itself, and the thing still in it', async () => {
    const result = await judge(shot, files, { untouched: files.clip }, folder, true);
    expect(result.changedOutside).toBe(0);
    expect(result.holeShare).toBeGreaterThan(0.02);
    expect(row(result, 'untouched').seenMean).toBeLessThan(row(result, 'spatial').seenMean);
    expect(row(result, 'grain limit')).toMatchObject({ flicker: 1, sharpness: 1, seam: 1 });
    expect(row(result, 'oracle').flicker).toBeNaN();
  });

  it('counts what differs outside, and puts the truth above the limit', async () => {
    const result = await judge(shot, files, { truth: files.truth }, folder, true);
    // The truth has no grain: nearly every sample outside differs from the film's.
    expect(result.changedOutside).toBeGreaterThan(0.3 * shot.frames * W * H);
    expect(row(result, 'truth').seenMean).toBeGreaterThan(row(result, 'grain limit').seenMean + 10);
    const order = ['spatial', 'aligned median', 'grain limit'].map((m) => row(result, m).seenMean);
    expect(order).toEqual([...order].sort((a, b) => a - b));
  });

  it('says the same of a fill without its peers', async () => {
    const alone = await judge(shot, files, { untouched: files.clip }, folder, false);
    const beside = await judge(shot, files, { untouched: files.clip }, folder, true);
    expect(alone.scores.map(({ method }) => method)).toEqual(['untouched', 'grain limit']);
    expect(alone.scores).toEqual(beside.scores.slice(0, 2));
  });

  it('knows where the thing is from the matte alone', () => {
    expect(touched(FRAME)[Math.round(BLOCK_ROW) * W + Math.round(blockAt(FRAME))]).toBe(1);
  });
});
