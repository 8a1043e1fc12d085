import { describe, expect, it } from '@jest/globals';
import { identity3 } from '../geometry/homography.ts';
import { CameraMotion } from '../motion/cameraMotion.ts';
import { unitSpace } from '../motion/space.ts';
import { viewFrom } from './depthPlaces.ts';
import { epipoleOn, type Epipole, type View } from './epipole.ts';
import type { Aim } from './followCorners.ts';
import { Guide } from './guided.ts';

const WIDTH = 960;
const HEIGHT = 540;
const COUNT = 60;
const FRAME = 5;
const { half, cx, cy } = unitSpace(WIDTH, HEIGHT);
const PX = 2 / half;

/** A camera that is said to stand still. */
const camera = new CameraMotion({
  width: WIDTH,
  height: HEIGHT,
  count: COUNT,
  poses: Float64Array.from({ length: 9 * COUNT }, (_, i) => identity3()[i % 9]),
  mesh: new Float32Array(0),
  tripod: false,
  residualPx: 0,
  support: new Float32Array(COUNT).fill(100),
  scenes: new Uint32Array(COUNT),
});

/** It goes forward by a thirtieth of a metre a frame, a little to the side and not evenly. */
const truly = (source: number): Epipole => {
  const way = (source - FRAME) / 30 + 0.12 * Math.sin((source - FRAME) / 6);
  return epipoleOn(0.05 * way, 0.02 * way * way, -way);
};

/** Corners on the ground, on a wall to the left and on what is far; depths are one by distance, metres. */
const corners = new Float64Array(300);
const depths = new Float64Array(150);
const slopes = new Float64Array(300);
for (let i = 0; i < 150; i++) {
  const [u, v] = [((i * 37) % 101) / 50.5 - 1, (((i * 53) % 97) / 48.5 - 1) * (HEIGHT / WIDTH)];
  const of = [
    [0.06 + 0.5 * Math.abs(v), 0, 0.5 * Math.sign(v)],
    [0.06 + 0.35 * Math.abs(u), 0.35 * Math.sign(u), 0],
    [0.05, 0, 0],
  ][i % 3];
  corners.set([cx + half * u, cy + half * v], 2 * i);
  depths[i] = of[0];
  slopes.set(of.slice(1), 2 * i);
}

/** Where a source shows a corner, px off where it is in the frame. */
function shown(source: number, i: number): [number, number] {
  const e = truly(source);
  const [x, y] = [(corners[2 * i] - cx) / half, (corners[2 * i + 1] - cy) / half];
  const w = 1 + depths[i] * e[2];
  return [half * ((x + depths[i] * e[0]) / w - x), half * ((y + depths[i] * e[1]) / w - y)];
}

const viewOf = (source: number, isFound: (i: number) => boolean): View => {
  const moved = Float64Array.from(corners, (_, k) => (isFound(k >> 1) ? shown(source, k >> 1)[k % 2] : NaN));
  return viewFrom(camera, FRAME, source, corners, moved);
};

/** Finds a corner only if it is looked for near where it is, and at about its size. */
class Nearsighted {
  readonly asked: number[] = [];

  moved(_frame: number, source: number, all: Float64Array, { asked, expected, turns }: Aim): Float64Array {
    this.asked.push(source);
    const out = new Float64Array(all.length).fill(NaN);
    for (const i of asked) {
      const [x, y] = shown(source, i);
      const off = Math.hypot(x - expected[2 * i], y - expected[2 * i + 1]);
      const size = 1 / (1 + depths[i] * truly(source)[2]);
      const looked = Math.sqrt(Math.abs(turns![4 * i] * turns![4 * i + 3] - turns![4 * i + 1] * turns![4 * i + 2]));
      // What is seen aslant grows otherwise in depth: by half more at most here.
      if (off < 4 && looked > 0.8 * size && looked < 1.6 * size) out.set([x, y], 2 * i);
    }
    return out;
  }
}

describe('corners looked for where depths tell', () => {
  const near = [1, 3, 7, 9, 11];
  const isFound = new Map(near.map((s) => [s, viewOf(s, () => true)]));
  const first = new Map(near.map((s) => [s, truly(s)]));
  // Known by near sources to a fifth of a px.
  const rough = depths.map((d, i) => d + 0.01 * Math.sin(7 * i) * (i % 2));
  const guided = (far: readonly number[], follower = new Nearsighted()) => {
    const lost = far.map((s): [number, View] => [s, viewOf(s, (i) => i % 50 === 0)]);
    const deep = { corners, depths: rough, slopes };
    return new Guide(camera, follower, FRAME, deep, PX).all(new Map([...isFound, ...lost]), first);
  };
  /** How far a source's epipole and the depths put the corners from where it shows them, px: nine of ten less. */
  const errorIn = (source: number, found: ReturnType<typeof guided>): number => {
    const e = found.epipoles.get(source)!;
    const off = [...depths.keys()].flatMap((i) => {
      const [x, y] = [(corners[2 * i] - cx) / half, (corners[2 * i + 1] - cy) / half];
      const [sx, sy] = shown(source, i);
      if (Math.abs(x + sx / half) > 1 || Math.abs(y + sy / half) > HEIGHT / WIDTH) return [];
      const w = 1 + e[9] * x + e[10] * y + found.depths[i] * e[2];
      const px = (x + e[3] + e[4] * x + e[5] * y + found.depths[i] * e[0]) / w;
      const py = (y + e[6] + e[7] * x + e[8] * y + found.depths[i] * e[1]) / w;
      return [half * Math.hypot(px - x - sx / half, py - y - sy / half)];
    });
    return off.sort((a, b) => a - b)[Math.floor(0.9 * off.length)];
  };

  it('finds the way on to sources in which next to no corner was found', () => {
    const far = [17, 23, 29, 35];
    const found = guided(far);
    for (const source of far) expect(errorIn(source, found)).toBeLessThan(1);
  });

  it('tells depths the more exactly the farther it gets', () => {
    const found = guided([17, 23, 29, 35]);
    const inView = [...depths.keys()].filter((i) => Math.hypot(...shown(35, i)) < 60);
    const error = (of: Float64Array): number => Math.max(...inView.map((i) => Math.abs(of[i] - depths[i])));
    expect(error(rough)).toBeGreaterThan(0.009);
    expect(error(found.depths)).toBeLessThan(0.003);
  });

  it('goes through frames on the way to a source that is too far from the last one, and says nothing of them', () => {
    const follower = new Nearsighted();
    const found = guided([57], follower);
    expect(errorIn(57, found)).toBeLessThan(2);
    expect(follower.asked.some((s) => s > 11 && s < 57)).toBe(true);
    expect([...found.epipoles.keys()].sort((a, b) => a - b)).toEqual([...near, 57]);
  });

  it('asks none again that shows what it should', () => {
    const follower = new Nearsighted();
    const deep = { corners, depths: rough, slopes };
    const views = new Map([...isFound, [13, viewOf(13, (i) => i % 5 > 0)] as const]);
    const found = new Guide(camera, follower, FRAME, deep, PX).all(views, first);
    expect(follower.asked).toEqual([]);
    expect(errorIn(13, found)).toBeLessThan(1);
  });
});
