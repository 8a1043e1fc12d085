import { describe, expect, it } from '@jest/globals';
import { multiply3, project } from '../src/core/geometry/homography.ts';
import {
  cameraAxes,
  distort,
  handUnrest,
  pixelToPlane,
  planeToPixel,
  undistort,
  type Lens,
  type Plane,
  type Pose,
} from './camera.ts';
import { LOG_CODES, logCube } from './logCurve.ts';
import { fractal, hash2, noise, sequence, smoothstep } from './noise.ts';

const lens: Lens = { width: 641, height: 361, focal: 500, k1: -0.05, readout: 0, shutter: 0.01 };
const ahead: Pose = { position: [0, 1, 0], yaw: 0, pitch: 0, roll: 0 };
/** A square of two metres, five metres ahead, its middle on the axis. */
const square: Plane = { origin: [-1, 2, 5], across: [2, 0, 0], down: [0, -2, 0] };

describe('a camera', () => {
  it('sees a plane ahead as far from the axis as focal length and depth say', () => {
    const m = planeToPixel(ahead, square, lens.focal);
    expect(project(m, 0.5, 0.5)).toEqual({ x: 0, y: 0 });
    expect(project(m, 1, 0.5).x).toBeCloseTo(100, 9);
    expect(project(m, 0.5, 1).y).toBeCloseTo(100, 9);
  });

  it.each<[string, Partial<Pose>, { x: number; y: number }]>([
    ['turned right, sees it on the left', { yaw: Math.atan(0.2) }, { x: -100, y: 0 }],
    ['tilted up, sees it below', { pitch: Math.atan(0.2) }, { x: 0, y: 100 }],
    ['moved right, sees it on the left', { position: [1, 1, 0] }, { x: -100, y: 0 }],
  ])('%s', (_what, change, where) => {
    const at = project(planeToPixel({ ...ahead, ...change }, square, lens.focal), 0.5, 0.5);
    expect(at.x).toBeCloseTo(where.x, 6);
    expect(at.y).toBeCloseTo(where.y, 6);
  });

  it('looks along axes of its own, which turn with it', () => {
    const [right, down, before] = cameraAxes({ ...ahead, yaw: Math.PI / 2 });
    const near = (axis: readonly number[]): number[] => axis.map((v) => Math.round(v * 1e9) / 1e9 + 0);
    expect([right, down, before].map(near)).toEqual([
      [0, 0, -1],
      [0, -1, 0],
      [1, 0, 0],
    ]);
  });

  it('rolled clockwise, sees what is on the right higher', () => {
    const at = project(planeToPixel({ ...ahead, roll: Math.PI / 2 }, square, lens.focal), 1, 0.5);
    expect(at.x).toBeCloseTo(0, 6);
    expect(at.y).toBeCloseTo(-100, 6);
  });

  it('goes both ways between plane and picture', () => {
    const pose = { position: [0.3, 1.2, -0.5] as const, yaw: 0.2, pitch: -0.1, roll: 0.05 };
    const both = multiply3(pixelToPlane(pose, square, 500), planeToPixel(pose, square, 500));
    const at = project(both, 0.3, 0.8);
    expect(at.x).toBeCloseTo(0.3, 9);
    expect(at.y).toBeCloseTo(0.8, 9);
  });

  it('bends the picture towards its corners, and back', () => {
    expect(undistort(lens, 320, 180)).toEqual([0, 0]);
    // At the right border the radius is half the width: 1 + k1 of it.
    expect(undistort(lens, 640, 180)[0]).toBeCloseTo(320 * (1 - 0.05 * (320 / 320.5) ** 2), 9);
    for (const [x, y] of [
      [0, 0],
      [100, 300],
      [640, 360],
    ]) {
      const [u, v] = undistort(lens, x, y);
      const [bx, by] = distort(lens, u, v);
      expect(bx).toBeCloseTo(x, 3);
      expect(by).toBeCloseTo(y, 3);
    }
  });

  it('is held by a hand that is never still, and the same each time', () => {
    const [a, b, other] = [handUnrest(4), handUnrest(4), handUnrest(5)];
    const times = Array.from({ length: 400 }, (_, i) => i / 30);
    const values = times.map(a);
    expect(times.map(b)).toEqual(values);
    expect(times.map(other)).not.toEqual(values);
    const spread = Math.sqrt(values.reduce((s, v) => s + v * v, 0) / values.length);
    expect(spread).toBeGreaterThan(0.4);
    expect(spread).toBeLessThan(1.2);
    // A tremor is small beside the sway: neighbouring frames are near.
    const steps = values.slice(1).map((v, i) => Math.abs(v - values[i]));
    expect(Math.max(...steps)).toBeLessThan(0.5);
  });
});

describe('made-up texture', () => {
  it('is the same for the same place and seed, and between 0 and 1', () => {
    for (let i = -20; i < 20; i++) {
      const v = hash2(i, 3 * i, 7);
      expect(v).toBe(hash2(i, 3 * i, 7));
      expect(v).toBeGreaterThanOrEqual(0);
      expect(v).toBeLessThan(1);
    }
    expect(hash2(1, 2, 3)).not.toBe(hash2(2, 1, 3));
    const [one, two] = [sequence(9), sequence(9)];
    expect([one(), one(), one()]).toEqual([two(), two(), two()]);
  });

  it('goes smoothly from one grid point to the next', () => {
    expect(noise(4, -3, 1)).toBeCloseTo(hash2(4, -3, 1), 12);
    const half = noise(4.5, -3, 1);
    expect(half).toBeCloseTo((hash2(4, -3, 1) + hash2(5, -3, 1)) / 2, 12);
    expect(Math.abs(noise(4.51, -3, 1) - half)).toBeLessThan(0.02);
    expect(fractal(1.3, 2.7, 1, 5)).toBeCloseTo(noise(1.3, 2.7, 5), 12);
  });

  it('steps smoothly, also downwards', () => {
    expect([-1, 0, 0.5, 1, 2].map((x) => smoothstep(0, 1, x))).toEqual([0, 0, 0.5, 1, 1]);
    expect(smoothstep(3, 0, 0)).toBe(1);
    expect(smoothstep(3, 0, 3)).toBe(0);
  });
});

describe('the log curve', () => {
  it('rises all the way, and leaves room below and above', () => {
    expect(LOG_CODES[0]).toBe(Math.round(0.06 * 65535));
    expect(LOG_CODES[65535] / 65535).toBeCloseTo(0.9, 4);
    expect(LOG_CODES.every((v, i) => i === 0 || v >= LOG_CODES[i - 1])).toBe(true);
  });

  it('is undone by the table that comes with it', () => {
    const rows = logCube().trim().split('\n').slice(2);
    const table = rows.map((row) => Number(row.split(' ')[0]));
    expect(table).toHaveLength(1024);
    for (const display of [0.05, 0.2, 0.5, 0.9]) {
      const at = (LOG_CODES[Math.round(display * 65535)] / 65535) * 1023;
      const k = Math.floor(at);
      expect(table[k] + (at - k) * (table[k + 1] - table[k])).toBeCloseTo(display, 2);
    }
  });
});
