import { describe, expect, it } from '@jest/globals';
import { invert3, multiply3, project, type Matrix3 } from '../geometry/homography.ts';
import { CameraMotion, solveCamera } from './cameraMotion.ts';
import { fitMotion } from './fitMotion.ts';
import type { Link } from './links.ts';
import { unitSpace } from './space.ts';

/** Evenly spread points, and where `m` puts them; every `every`-th goes astray. */
function matches(m: ArrayLike<number>, count: number, every = 0, noise = 0): Float32Array {
  const out: number[] = [];
  let state = 7;
  const random = (): number => (state = (state * 16807) % 2147483647) / 2147483647 - 0.5;
  for (let i = 0; i < count; i++) {
    const [x, y] = [2 * random(), 1.1 * random()];
    const p = project(m, x, y);
    if (every > 0 && i % every === 0) out.push(x, y, p.x + 0.3 + random() * 0.2, p.y - 0.25);
    else out.push(x, y, p.x + noise * random(), p.y + noise * random());
  }
  return Float32Array.from(out);
}

const HOMOGRAPHY = Float64Array.of(1.02, 0.03, 0.05, -0.02, 0.99, -0.04, 0.02, -0.01, 1);

describe('fitMotion', () => {
  it('recovers a homography although a third of the points moves by itself', () => {
    const fit = fitMotion(matches(HOMOGRAPHY, 240, 3, 2e-4), 0.02);
    expect(fit.model).toBe('homography');
    for (const [x, y] of [
      [-1, -0.5],
      [1, 0.5],
      [0.3, -0.2],
    ]) {
      const [p, q] = [project(fit.matrix, x, y), project(HOMOGRAPHY, x, y)];
      expect(Math.hypot(p.x - q.x, p.y - q.y)).toBeLessThan(2e-4);
    }
    expect(fit.inliers).toBeGreaterThan(150);
  });

  it('steps down to what few points support', () => {
    const shift = Float64Array.of(1, 0, 0.1, 0, 1, -0.05, 0, 0, 1);
    expect(fitMotion(matches(shift, 3), 0.02).model).toBe('shift');
    expect(fitMotion(matches(shift, 8), 0.02).model).toBe('similarity');
    expect(fitMotion(matches(shift, 15), 0.02).model).toBe('affine');
    expect(fitMotion(new Float32Array(4), 0.02).model).toBe('none');
  });
});

describe('solveCamera', () => {
  const [width, height, count] = [1920, 1080, 24];
  /** A hand's unrest: the pose of each frame in unit space. */
  const pose = (t: number): Matrix3 =>
    Float64Array.of(
      1,
      0.01 * Math.sin(t),
      0.02 * Math.sin(t / 3),
      -0.01 * Math.sin(t),
      1,
      0.015 * Math.cos(t / 2),
      0.004 * Math.sin(t / 5),
      0,
      1,
    );
  const link = (from: number, to: number, noise: number): Link => {
    const m = multiply3(invert3(pose(to)), pose(from));
    const found = matches(m, 150, 0, noise);
    return { from, to, matches: found, fit: fitMotion(found, 0.02), likeness: 1 };
  };
  const links = (noise: number): Link[] => {
    const out: Link[] = [];
    for (let t = 0; t < count; t++) for (const d of [1, 4, 12]) if (t + d < count) out.push(link(t, t + d, noise));
    return out;
  };

  it('maps the corners of any frame into any other within a tenth of a pixel', () => {
    const motion = new CameraMotion(solveCamera(width, height, count, links(1e-4), 0.5));
    const { cx, cy, half } = unitSpace(width, height);
    for (const [a, b] of [
      [0, 1],
      [0, 23],
      [20, 3],
    ]) {
      const truth = multiply3(invert3(pose(b)), pose(a));
      for (const [x, y] of [
        [0, 0],
        [1919, 1079],
        [960, 100],
      ]) {
        const p = Float64Array.of(x, y);
        motion.map(a, b, p);
        const q = project(truth, (x - cx) / half, (y - cy) / half);
        expect(Math.hypot(p[0] - (q.x * half + cx), p[1] - (q.y * half + cy))).toBeLessThan(0.1);
      }
    }
  });

  it('finds a tripod and then moves nothing at all', () => {
    const identity = Float64Array.of(1, 0, 0, 0, 1, 0, 0, 0, 1);
    const still: Link[] = Array.from({ length: 9 }, (_, t) => {
      const found = matches(identity, 150, 5, 5e-5);
      return { from: t, to: t + 1, matches: found, fit: fitMotion(found, 0.02), likeness: 1 };
    });
    const data = solveCamera(width, height, 10, still, 0.5);
    expect(data.tripod).toBe(true);
    const p = Float64Array.of(123.25, 456.5);
    new CameraMotion(data).map(0, 9, p);
    expect([...p]).toEqual([123.25, 456.5]);
  });

  it('finds a tripod where leaves pull a frame here and there, but not a hand that hardly moves', () => {
    const still = (0.25 * width) / 1920;
    const half = unitSpace(width, height).half;
    const rests = (placeOf: (t: number) => number): boolean => {
      const chain: Link[] = Array.from({ length: 59 }, (_, t) => {
        const by = (placeOf(t + 1) - placeOf(t)) / half;
        const found = matches(Float64Array.of(1, 0, by, 0, 1, 0, 0, 0, 1), 150, 5 + t, 0);
        return { from: t, to: t + 1, matches: found, fit: fitMotion(found, 0.02), likeness: 1 };
      });
      return solveCamera(width, height, 60, chain, 0.1).tripod;
    };
    const pulled = (most: number) => (t: number) => (t % 12 === 0 ? most * still : 0);
    expect(rests(pulled(1.3))).toBe(true);
    expect(rests(pulled(1.8))).toBe(false);
    expect(rests((t) => 1.3 * still * Math.sin(t))).toBe(false);
  });

  it('explains lens distortion by the mesh', () => {
    const k1 = 0.015;
    const bend = (x: number, y: number): [number, number] => {
      // Where a point of an ideal picture appears: a few fixed-point steps invert u = x·(1 + k·r²).
      let [a, b] = [x, y];
      for (let i = 0; i < 10; i++) {
        const k = 1 + k1 * (a * a + b * b);
        [a, b] = [x / k, y / k];
      }
      return [a, b];
    };
    const bent: Link[] = links(0).map((l) => {
      const m = l.matches.slice();
      for (let i = 0; i < m.length; i += 2) m.set(bend(m[i], m[i + 1]), i);
      return { ...l, matches: m, fit: fitMotion(m, 0.02) };
    });
    const error = (motion: CameraMotion): number => {
      const { cx, cy, half } = unitSpace(width, height);
      let sum = 0;
      for (const l of bent.slice(0, 20)) {
        for (let i = 0; i < l.matches.length; i += 4) {
          const p = Float64Array.of(l.matches[i] * half + cx, l.matches[i + 1] * half + cy);
          motion.map(l.from, l.to, p);
          sum +=
            Math.hypot(p[0] - l.matches[i + 2] * half - cx, p[1] - l.matches[i + 3] * half - cy) /
            (l.matches.length / 4) /
            20;
        }
      }
      return sum;
    };
    const data = solveCamera(width, height, count, bent, 0.5);
    const flat = error(new CameraMotion({ ...data, mesh: new Float32Array(0) }));
    expect(error(new CameraMotion(data))).toBeLessThan(0.5 * flat);
  });
});
