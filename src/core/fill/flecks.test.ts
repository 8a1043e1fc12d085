import { describe, expect, it } from '@jest/globals';
import { createMatteCells, HOLE, type MatteCells } from '../image/matteCells.ts';
import { smallFormat } from '../testing/frames.ts';
import { panning } from '../testing/panning.ts';
import { randomFrom } from '../testing/random.ts';
import { fleckOffsets, fleckSources, haveFlecks } from './fleckOffsets.ts';
import { findFlecks, weightsOf } from './flecks.ts';
import { tallyFlecks } from './fleckTally.ts';
import { layFlecks, layUnder } from './layFlecks.ts';
import type { RimResidual } from './measure.ts';
import { TILE, type Region } from './region.ts';

const [W, H] = [96, 64];
const N = W * H;
/** So large a frame has flecks of up to 15 px each way. */
const SCALE = { unit: 1, height: 300 };

/** What lies at some places, over a little noise. */
function painted(things: readonly { x: number; y: number; size: number; light: number }[], seed = 5): Float32Array {
  const random = randomFrom(seed);
  return Float32Array.from({ length: N }, (_, i) => {
    const [x, y] = [i % W, Math.floor(i / W)];
    const on = things.find((t) => x >= t.x && y >= t.y && x < t.x + t.size && y < t.y + t.size);
    return random() - 0.5 + (on?.light ?? 0);
  });
}
const all = (): Uint8Array => new Uint8Array(N).fill(1);
const at = (x: number, y: number): number => y * W + x;

describe('flecks', () => {
  it('are small, light or dark, and not what grain makes', () => {
    const shown = painted([
      { x: 10, y: 10, size: 3, light: 40 },
      { x: 60, y: 40, size: 4, light: -30 },
      { x: 30, y: 30, size: 1, light: 60 },
      { x: 70, y: 5, size: 18, light: 50 },
    ]);
    const { groups } = findFlecks(shown, all(), W, H, SCALE);
    expect(groups.map((g) => g.length)).toEqual([9, 16]);
    expect(groups[0]).toContain(at(11, 11));
    expect(groups[1]).toContain(at(62, 42));
  });

  it('are told from light that changes slowly, and where both pictures are known', () => {
    const things = [{ x: 40, y: 20, size: 4, light: 30 }];
    const slope = painted(things).map((v, i) => v + 0.8 * (i % W));
    expect(findFlecks(slope, all(), W, H, SCALE).groups).toHaveLength(1);
    const half = all().map((_, i) => (i % W < 30 ? 1 : 0));
    expect(findFlecks(slope, half, W, H, SCALE).groups).toHaveLength(0);
  });

  it('have a soft edge of two px', () => {
    const weights = weightsOf([[at(20, 20), at(21, 20)]], W, H);
    expect([18, 19, 20, 21, 22, 23, 24].map((x) => weights[at(x, 20)])).toEqual([
      ...[1 / 3, 2 / 3, 1, 1, 2 / 3, 1 / 3, 0].map((v) => Math.fround(v)),
    ]);
    expect(weights[at(18, 18)]).toBeCloseTo(1 / 3);
    expect(weightsOf([[0]], W, H)[at(2, 2)]).toBeCloseTo(1 / 3);
  });
});

const region = (frame: number): Region => ({
  frame,
  rect: { x: 0, y: 0, width: W, height: H },
  cols: W / TILE,
  rows: H / TILE,
  active: new Uint8Array(N / TILE ** 2).fill(2),
  alpha: new Uint8Array(N).fill(255),
  known: new Uint8Array(N),
});
const rimOf = (frame: number, values: Float32Array): RimResidual => ({
  region: region(frame),
  values,
  rim: all(),
  seen: all(),
});

describe('a rim', () => {
  const camera = panning(W, H, 2, 8);
  const [flake, stain] = [
    { size: 3, light: 40 },
    { size: 4, light: 40 },
  ];

  it('tells what passes from what the background was not met at', () => {
    // What lies at x in frame 0 lies 8 px beside it in frame 1.
    const probe = Float64Array.of(50, 30);
    camera.map(0, 1, probe);
    const moved = probe[0] - 50;
    expect(Math.abs(moved)).toBeCloseTo(8);
    const before = painted([
      { x: 20, y: 10, ...flake },
      { x: 50, y: 30, ...stain },
    ]);
    const now = painted(
      [
        { x: 20 + moved, y: 16, ...flake },
        { x: 50 + moved, y: 30, ...stain },
      ],
      6,
    );
    expect(tallyFlecks(rimOf(1, now), rimOf(0, before), camera, SCALE)).toEqual({ passing: 9, staying: 16, of: N });
  });

  it('has flecks where most frames have, and more come and go than stay', () => {
    const snow = { passing: 20, staying: 1, of: 1000 };
    const faint = { passing: 12, staying: 10, of: 10_000 };
    const passer = { passing: 400, staying: 60, of: 1000 };
    const misfit = { passing: 40, staying: 60, of: 1000 };
    const otherDepth = { passing: 8, staying: 0, of: 10_000 };
    const none = { passing: 0, staying: 0, of: 1000 };
    expect(haveFlecks([snow, faint, none])).toBe(true);
    expect(haveFlecks([faint, faint, faint])).toBe(false);
    expect(haveFlecks([passer, none, none])).toBe(false);
    expect(haveFlecks([misfit, misfit, misfit])).toBe(false);
    expect(haveFlecks([otherDepth, otherDepth, none, snow])).toBe(false);
    expect(haveFlecks([none, none])).toBe(false);
    expect(haveFlecks([])).toBe(false);
  });
});

/** A hole of 40x40 px that goes to the right by 4 px a frame before a camera that rests. */
function crossing(count: number): MatteCells {
  const cells = createMatteCells(320, 96, count);
  for (let t = 0; t < count; t++) {
    for (let i = 0; i < cells.cols * cells.rows; i++) {
      const [x, y] = [(i % cells.cols) * cells.cell, Math.floor(i / cells.cols) * cells.cell];
      if (x >= 4 * t && x < 4 * t + 40 && y >= 20 && y < 60) cells.state[t * cells.cols * cells.rows + i] = HOLE;
    }
  }
  return cells;
}

describe('offsets in time', () => {
  const frames = [...Array(60).keys()];
  const camera = panning(320, 96, 60, 0);

  it('are those at which holes are free, forward and back', () => {
    const offsets = fleckOffsets(crossing(60), camera, frames);
    // All of a hole is free ten frames before and after, and most of it eight; no single offset is there in all frames.
    expect(offsets.every((o) => Math.abs(o) >= 8 && Math.abs(o) <= 30)).toBe(true);
    expect(offsets.some((o) => o > 0)).toBe(true);
    expect(offsets.some((o) => o < 0)).toBe(true);
  });

  it('are none where a hole stays', () => {
    const cells = crossing(60);
    const one = cells.state.slice(0, cells.cols * cells.rows);
    for (let t = 0; t < 60; t++) cells.state.set(one, t * one.length);
    expect(fleckOffsets(cells, camera, frames)).toEqual([]);
  });

  it('are left out where the film has ended', () => {
    expect(fleckSources([12, -12], 50, camera)).toEqual([{ frame: 38, check: 41 }]);
    expect(fleckSources([12, -12], 47, camera)).toEqual([
      { frame: 59, check: 56 },
      { frame: 35, check: 38 },
    ]);
  });
});

describe('laying flecks', () => {
  const format = { ...smallFormat(W, H, true), height: SCALE.height };
  const laid = { format, support: new Float32Array(N).fill(4) };
  /** @param blue - What things have more of it than the ground. */
  const picture = (things: Parameters<typeof painted>[0], seed: number, blue = 0) => {
    const luma = painted(things, seed).map((v) => v + 100);
    const chroma = Float32Array.from({ length: N / 4 }, (_, i) => {
      const [x, y] = [2 * (i % (W / 2)), 2 * Math.floor(i / (W / 2))];
      return things.some((t) => x >= t.x && y >= t.y && x < t.x + t.size && y < t.y + t.size) ? 128 + blue : 128;
    });
    return { region: region(0), planes: [luma, chroma, chroma.slice()], support: new Float32Array(N).fill(1) };
  };
  const flake = { x: 20, y: 20, size: 4, light: 60 };
  const tuft = { x: 60, y: 20, size: 4, light: 60 };
  const passer = { x: 40, y: 36, size: 20, light: 60 };
  const layers = (): Float32Array[] => picture([], 8).planes;

  it('brings in what is small and passes, with its colour, and not what is large or stays', () => {
    const out = layers();
    const before = out.map((p) => p.slice());
    const taken = layFlecks(out, picture([flake, tuft, passer], 9, 22), picture([tuft], 10), laid);
    expect(out[0][at(21, 21)]).toBeCloseTo(160, -0.5);
    expect(out[1][11 * (W / 2) + 11]).toBeCloseTo(150, -0.5);
    for (const { x, y } of [tuft, passer]) {
      expect(out[0][at(x + 2, y + 2)]).toBe(before[0][at(x + 2, y + 2)]);
      expect(taken[at(x + 2, y + 2)]).toBe(0);
    }
    expect(taken[at(21, 21)]).toBe(1);
  });

  it('brings in what grain hides, but neither the light nor the colour of the other frame', () => {
    const out = layers();
    const faint = { x: 20, y: 20, size: 3, light: 4 };
    const shown = picture([faint], 9);
    shown.planes.forEach((p) => p.forEach((v, i) => (p[i] = v + 12)));
    layFlecks(out, shown, picture([], 10), laid);
    expect(out[0][at(21, 21)]).toBeGreaterThan(103);
    const mean = out.map((p) => p.reduce((sum, v) => sum + v, 0) / p.length);
    expect(mean[0]).toBeCloseTo(100, 0);
    expect(mean[1]).toBeCloseTo(128, 0);
  });

  it('leaves alone what no frame showed', () => {
    const out = layers();
    const before = out[0].slice();
    layFlecks(out, picture([flake], 9), picture([], 10), { ...laid, support: new Float32Array(N) });
    expect(out[0]).toEqual(before);
  });

  it('leaves out what is cut where one frame gives way to another', () => {
    // The first frame shows the right half, from the middle of a flake on.
    const one = picture([flake, { ...flake, x: 40 }], 9);
    for (let i = 0; i < N; i++) if (i % W < 22) one.support[i] = 0;
    layUnder(one, picture([{ ...flake, y: 40 }], 11), 1, format);
    const out = layers();
    layFlecks(out, one, picture([], 10), laid);
    const strong = (x: number, y: number): boolean => out[0][at(x, y)] > 130;
    expect([strong(22, 21), strong(41, 21), strong(20, 41)]).toEqual([false, true, false]);
    expect(strong(23, 21)).toBe(false);
  });

  it('takes what one frame does not show from the next one', () => {
    const one = picture([], 9);
    one.support.fill(0, 0, N / 2);
    const value = one.planes[0][N - 1];
    layUnder(one, picture([flake], 11, 12), 1, format);
    expect(one.planes[0][at(21, 21)]).toBeCloseTo(160, -0.5);
    expect(one.planes[1][11 * (W / 2) + 11]).toBe(140);
    expect(one.planes[0][N - 1]).toBe(value);
    expect(one.support.every((s) => s > 0)).toBe(true);
  });
});
