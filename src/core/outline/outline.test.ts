import { describe, expect, it } from '@jest/globals';
import type { FrameReader } from '../image/format.ts';
import { areaOf, at, type MaskPatch } from '../movers/maskPatch.ts';
import { Ball, ballMask, cueOf, H, inBall, W } from '../testing/ball.ts';
import { diceFrom } from '../testing/random.ts';
import { carry } from './carry.ts';
import { colourCost, fitColours } from './colourModel.ts';
import { cutOut, OPEN, OTHER, THING } from './cutOut.ts';
import { followOutline, likeness, type FollowedOutline } from './followOutline.ts';
import { geodesicFrom } from './geodesic.ts';
import { minCut, NEIGHBOURS, type CutGraph } from '../image/minCut.ts';
import { motionCue, movingAround } from './motionCue.ts';
import { pointOut } from './pointOut.ts';
import { readCut, type PictureCut } from './pictureCut.ts';

function grid(w: number, h: number, seed: number): CutGraph {
  const random = diceFrom(seed);
  const neighbours = new Int32Array(w * h * 8).fill(-1);
  const capacities = new Int32Array(w * h * 8);
  for (let i = 0; i < w * h; i++) {
    NEIGHBOURS.forEach(([dx, dy], d) => {
      const [x, y] = [(i % w) + dx, Math.floor(i / w) + dy];
      if (x < 0 || y < 0 || x >= w || y >= h) return;
      neighbours[i * 8 + d] = y * w + x;
      capacities[i * 8 + d] = Math.floor(10 * random());
    });
  }
  return {
    neighbours,
    capacities,
    terminals: Int32Array.from({ length: w * h }, () => Math.floor(41 * random()) - 20),
  };
}

/** What a labelling cuts. */
function costOf({ neighbours, capacities, terminals }: CutGraph, side: ArrayLike<number>): number {
  let cost = 0;
  terminals.forEach((t, i) => {
    if (t > 0 && !side[i]) cost += t;
    if (t < 0 && side[i]) cost -= t;
    for (let d = 0; d < 8; d++) {
      const j = neighbours[i * 8 + d];
      if (j >= 0 && side[i] && !side[j]) cost += capacities[i * 8 + d];
    }
  });
  return cost;
}

describe('least cut', () => {
  it('cuts the weaker edge of two in a row', () => {
    const neighbours = new Int32Array(24).fill(-1);
    const capacities = new Int32Array(24);
    [neighbours[4], neighbours[8 + 3], neighbours[8 + 4], neighbours[16 + 3]] = [1, 0, 2, 1];
    [capacities[4], capacities[8 + 4]] = [5, 3];
    expect([...minCut({ neighbours, capacities, terminals: Int32Array.of(9, 0, -9) })]).toEqual([1, 1, 0]);
  });

  it('costs no more than any other labelling of a small grid', () => {
    for (let seed = 1; seed <= 12; seed++) {
      const graph = grid(4, 3, seed);
      const whole = { ...graph, capacities: graph.capacities.slice(), terminals: graph.terminals.slice() };
      const found = costOf(whole, minCut(graph));
      for (let bits = 0; bits < 2 ** 12; bits++) {
        const side = Array.from({ length: 12 }, (_, i) => (bits >> i) & 1);
        if (costOf(whole, side) < found) throw new Error(`seed ${seed}: ${found} is not the least`);
      }
    }
  });
});

describe('colours', () => {
  it('are likelier under the model that has seen them', () => {
    const random = diceFrom(5);
    const around = (c: number[]): number[] => c.map((v) => v + 8 * (random() - 0.5));
    const red = fitColours(Float32Array.from(Array.from({ length: 200 }, () => around([90, 100, 200])).flat()));
    const both = Array.from({ length: 200 }, (_, i) => around(i % 2 ? [60, 128, 128] : [180, 120, 130]));
    const greys = fitColours(Float32Array.from(both.flat()));
    const cost = (model: Float64Array, c: number[]): number => colourCost(model, Float32Array.from(c), 0);
    expect(cost(red, [92, 99, 203])).toBeLessThan(cost(greys, [92, 99, 203]) - 10);
    expect(cost(greys, [181, 121, 129])).toBeLessThan(cost(red, [181, 121, 129]) - 10);
    expect(cost(greys, [61, 128, 127])).toBeLessThan(cost(red, [61, 128, 127]) - 10);
    expect(() => fitColours(new Float32Array(0))).toThrow(RangeError);
  });
});

/** A flat grey picture with a lighter block at (x, y). */
function picture(w: number, h: number, block: { x: number; y: number; width: number; height: number }): PictureCut {
  const colours = new Float32Array(w * h * 3).fill(60);
  for (let y = block.y; y < block.y + block.height; y++) {
    for (let x = block.x; x < block.x + block.width; x++) colours.fill(200, 3 * (y * w + x), 3 * (y * w + x) + 3);
  }
  return { x: 0, y: 0, width: w, height: h, step: 1, colours };
}

describe('cutting out', () => {
  it('moves the border to the edge of the picture where colours say nothing', () => {
    const cut = picture(12, 8, { x: 0, y: 0, width: 7, height: 8 });
    const settled = new Uint8Array(96).fill(OPEN);
    for (let y = 0; y < 8; y++) [settled[y * 12], settled[y * 12 + 11]] = [THING, OTHER];
    const mask = cutOut(cut, new Float32Array(96), settled, 10);
    for (let y = 0; y < 8; y++) expect([...mask.subarray(y * 12, y * 12 + 12)].join('')).toBe('111111100000');
  });

  it('does not take an edge that the background has too for the border', () => {
    // The picture has edges at columns 5 and 9, the background shows the first of them.
    const colours = Float32Array.from({ length: 3 * 96 }, (_, k) => {
      const x = Math.floor(k / 3) % 12;
      return x < 5 ? 100 : x < 9 ? 120 : 110;
    });
    const difference = colours.map((v, k) => v - (Math.floor(k / 3) % 12 < 5 ? 100 : 120));
    const settled = new Uint8Array(96).fill(OPEN);
    for (let y = 0; y < 8; y++) [settled[y * 12], settled[y * 12 + 11]] = [OTHER, THING];
    const cut = { x: 0, y: 0, width: 12, height: 8, step: 1, colours };
    const row = (mask: Uint8Array): string => [...mask.subarray(0, 12)].join('');
    expect(row(cutOut(cut, new Float32Array(96), settled, 10))).toBe('000001111111');
    expect(row(cutOut({ ...cut, difference }, new Float32Array(96), settled, 10))).toBe('000000000111');
  });

  it('measures ways around an edge, not through it', () => {
    const cut = picture(9, 9, { x: 4, y: 0, width: 1, height: 8 });
    const seeds = new Uint8Array(81);
    seeds[0] = 1;
    const way = geodesicFrom(seeds, cut);
    // Down to the gap at the wall's foot and up again: eleven straight steps and five aslant.
    expect(way[3]).toBeCloseTo(3, 5);
    expect(way[5]).toBeCloseTo(11 + 5 * Math.SQRT2, 4);
  });
});

const click = (x: number, y: number) => ({ points: [{ x, y }], radius: 3 });

describe('pointing', () => {
  const frames = new Ball([{ x: 40, y: 30 }]);

  it('reads pictures at a reduced size', () => {
    const cut = readCut(frames, 0, { x: -2, y: 10, width: 12, height: 100 }, 4);
    expect({ x: cut.x, y: cut.y, width: cut.width, height: cut.height }).toEqual({ x: 0, y: 10, width: 10, height: 6 });
    let sum = 0;
    for (let y = 40; y < 44; y++) for (let x = 20; x < 24; x++) sum += frames.planes[0][0][y * W + x];
    expect(cut.colours[3 * 5]).toBeCloseTo(sum / 16, 3);
    expect(cut.colours[3 * 5 + 2]).toBe(118);
  });

  it('reads nothing outside of pictures', () => {
    const outside = [
      { x: -300, y: 10, width: 12, height: 10 },
      { x: 10, y: -300, width: 12, height: 10 },
      { x: 5000, y: 10, width: 12, height: 10 },
      { x: 10, y: 5000, width: 12, height: 10 },
    ];
    for (const rect of outside) expect(readCut(frames, 0, rect, 1).colours).toHaveLength(0);
  });

  it('finds a ball by one click, by a box, and by a scribble', () => {
    const truth = ballMask({ x: 40, y: 30 });
    const scribble = {
      points: [
        { x: 36, y: 26 },
        { x: 44, y: 34 },
      ],
      radius: 2,
    };
    for (const hints of [
      { add: [click(41, 31)], remove: [] },
      { add: [], remove: [], box: { x: 25, y: 15, width: 31, height: 31 } },
      { add: [scribble], remove: [] },
    ]) {
      expect(likeness(pointOut(frames, 0, hints), truth)).toBeGreaterThan(0.92);
    }
  });

  it('finds a thin thing whose border is dear against what is in it', () => {
    const thin = new Ball([undefined]);
    const inBar = (x: number, y: number): boolean => x >= 44 && x < 50 && y >= 10 && y < 54;
    const [, blue, red] = thin.planes[0];
    for (let i = 0; i < blue.length; i++) {
      if (inBar((i % (W / 2)) * 2, Math.floor(i / (W / 2)) * 2)) [blue[i], red[i]] = [122, 126];
    }
    const bar = { x: 44, y: 10, width: 6, height: 44, data: new Uint8Array(6 * 44).fill(1) };
    const found = pointOut(thin, 0, { add: [{ points: [{ x: 46, y: 30 }], radius: 1.5 }], remove: [] });
    expect(likeness(found, bar)).toBeGreaterThan(0.4);
  });

  it('gives nothing where nothing was pointed at', () => {
    expect(pointOut(frames, 0, { add: [], remove: [] }).width).toBe(0);
    expect(pointOut(frames, 0, { add: [], remove: [click(3, 3)] }).width).toBe(0);
  });

  it('mends an outline where it is pointed at, and keeps it elsewhere', () => {
    const truth = ballMask({ x: 40, y: 30 });
    const without = { ...truth, data: truth.data.map((m, i) => (i % W > 44 ? 0 : m)) };
    const mended = pointOut(frames, 0, { add: [click(48, 30)], remove: [] }, undefined, without);
    expect(likeness(mended, truth)).toBeGreaterThan(0.92);
    const bulge = { ...truth, data: truth.data.map((m, i) => (i % W > 60 && Math.floor(i / W) < 12 ? 1 : m)) };
    const cut = pointOut(frames, 0, { add: [], remove: [click(70, 5)] }, undefined, bulge);
    expect(at(cut, 70, 5)).toBe(0);
    expect(at(cut, 40, 30)).toBe(1);
  });

  it('takes what moves along with the clicks, and not what rests in like colours', () => {
    // One ball moves, another of the same colours rests beside it.
    const [two, still, bare] = [{ x: 30, y: 30 }, { x: 62, y: 30 }, undefined].map((at) => new Ball([at]));
    still.planes[0].forEach((plane, p) => {
      plane.forEach((v, i) => {
        if (v !== bare.planes[0][p][i]) two.planes[0][p][i] = v;
      });
    });
    const rest = Float32Array.from({ length: W * H }, (_, i) =>
      inBall({ x: 30, y: 30 }, i % W, Math.floor(i / W)) ? -4 : 4,
    );
    const cue = cueOf(rest);
    const box = { x: 15, y: 15, width: 64, height: 31 };
    expect(likeness(pointOut(two, 0, { add: [], remove: [], box }, cue), ballMask({ x: 30, y: 30 }))).toBeGreaterThan(
      0.95,
    );
    expect(movingAround(cue, [{ x: 30, y: 30 }])).toEqual({ x: 18, y: 18, width: 25, height: 25 });
    expect(movingAround(cue, [{ x: 80, y: 30 }])).toBeUndefined();
  });

  it('takes one of two things that move, of like colours, and not the other', () => {
    const [one, other] = [
      { x: 24, y: 30 },
      { x: 66, y: 30 },
    ];
    const [two, second, bare] = [one, other, undefined].map((at) => new Ball([at]));
    second.planes[0].forEach((plane, p) => {
      plane.forEach((v, i) => {
        if (v !== bare.planes[0][p][i]) two.planes[0][p][i] = v;
      });
    });
    const rest = Float32Array.from({ length: W * H }, (_, i) =>
      [one, other].some((ball) => inBall(ball, i % W, Math.floor(i / W))) ? -4 : 4,
    );
    const found = pointOut(two, 0, { add: [click(24, 30)], remove: [] }, cueOf(rest));
    expect(likeness(found, ballMask(one))).toBeGreaterThan(0.95);
  });

  it('tells what moves a little, but not what is only beside what moves much', () => {
    const ground = new Uint16Array(W * H).fill(1600);
    const unlikeness = new Uint16Array(W * H).fill(100);
    const put = (x0: number, x1: number, v: number): void => {
      for (let y = 20; y < 40; y++) unlikeness.fill(v, y * W + x0, y * W + x1);
    };
    // Much unlikeness, with a rim of a little; and elsewhere a little, by itself.
    put(7, 23, 360);
    put(10, 20, 4000);
    put(50, 64, 360);
    const evidence = { unlikeness, own: [ground], background: [ground] };
    const { rest } = motionCue(evidence, { width: W, height: H }, 1);
    expect(rest[30 * W + 57]).toBeLessThan(-0.5);
    expect(rest[30 * W + 8]).toBe(0);
    expect(rest[30 * W + 15]).toBeLessThan(-4);
  });

  it('does not believe that a thing rests which most frames do not show', () => {
    const background = new Uint16Array(W * H).fill(1600);
    const own = background.slice();
    for (let y = 20; y < 40; y++) own.fill(2600, y * W + 30, y * W + 50);
    const { rest } = motionCue(
      { unlikeness: new Uint16Array(W * H).fill(100), own: [own], background: [background] },
      { width: W, height: H },
      1,
    );
    expect(rest[30 * W + 40]).toBeLessThan(0);
    expect(rest[30 * W + 70]).toBeGreaterThan(2);
  });

  it('tells a shadow from a thing by what shows through it', () => {
    const random = diceFrom(8);
    const ground = Uint16Array.from({ length: W * H }, () => 1500 + 900 * random());
    const own = ground.slice();
    const unlikeness = new Uint16Array(W * H).fill(100);
    for (let y = 20; y < 40; y++) {
      for (let x = 10; x < 60; x++) {
        own[y * W + x] = x < 35 ? 0.6 * ground[y * W + x] : 700 + 500 * random();
        unlikeness[y * W + x] = 4000;
      }
    }
    const cue = motionCue({ unlikeness, own: [own], background: [ground] }, { width: W, height: H }, 1);
    expect(cue.shade[30 * W + 20]).toBeGreaterThan(0.9);
    expect(cue.shade[30 * W + 50]).toBeLessThan(0.1);
    expect(cue.rest[30 * W + 20]).toBeLessThan(-2);
    expect(cue.rest[5 * W + 80]).toBeGreaterThan(2);
  });
});

describe('following', () => {
  const way = Array.from({ length: 12 }, (_, t) => ({ x: 22 + 4 * t, y: 30 + (t % 3) }));
  const frames = new Ball(way);
  const follow = (
    reader: FrameReader,
    anchors: { frame: number; mask: MaskPatch }[],
    last: number,
  ): FollowedOutline[] => [...followOutline(reader, { anchors, first: 0, last })].sort((a, b) => a.frame - b.frame);

  it('takes a mask along by its texture', () => {
    const [a, b] = [0, 1].map((t) => readCut(frames, t, { x: 0, y: 0, width: W, height: H }, 1));
    const { mask, found } = carry(ballMask(way[0]), a, b);
    expect(likeness(mask, ballMask(way[1]))).toBeGreaterThan(0.9);
    expect(found).toBeGreaterThan(0.9);
  });

  it('follows a ball both ways, and the same with time reversed', () => {
    const found = follow(frames, [{ frame: 5, mask: ballMask(way[5]) }], 11);
    expect(found.map((f) => f.frame)).toEqual(way.map((_, t) => t));
    for (const { frame, mask } of found) expect(likeness(mask, ballMask(way[frame]))).toBeGreaterThan(0.9);
    const back = follow(new Ball([...way].reverse()), [{ frame: 6, mask: ballMask(way[5]) }], 11);
    back.forEach(({ frame, mask }) => expect(likeness(mask, found[11 - frame].mask)).toBe(1));
  });

  it('ends where the thing is gone, and says how sure it is', () => {
    const gone = new Ball(way.map((p, t) => (t > 7 ? undefined : p)));
    const found = follow(gone, [{ frame: 2, mask: ballMask(way[2]) }], 11);
    expect(found.find((f) => f.frame === 7)?.confidence).toBeGreaterThan(0.8);
    expect(found.every((f) => f.frame <= 7 || f.confidence < 0.3)).toBe(true);
  });

  it('never moves an anchor, and is as sure between two as both agree', () => {
    const anchors = [1, 9].map((frame) => ({ frame, mask: ballMask(way[frame]) }));
    const found = follow(frames, anchors, 9);
    expect(
      found.filter((f) => f.confidence === 1 && (f.frame === 1 || f.frame === 9)).map((f) => areaOf(f.mask)),
    ).toEqual(anchors.map((a) => areaOf(a.mask)));
    expect(new Set(found.map((f) => f.frame)).size).toBe(found.length);
    expect(found.find((f) => f.frame === 5)!.confidence).toBeGreaterThan(0.85);
  });
});
