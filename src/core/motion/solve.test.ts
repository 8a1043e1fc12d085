import { describe, expect, it } from '@jest/globals';
import { identity3, invert3, multiply3, project, type Matrix3 } from '../geometry/homography.ts';
import { gaussFrom, randomFrom } from '../testing/random.ts';
import { residualsOf } from './field.ts';
import type { Link } from './links.ts';
import { MESH_COLS, MESH_ROWS, meshCell, solveMesh } from './mesh.ts';
import { chain, linkResiduals, solvePoses } from './solve.ts';

const ASPECT = 9 / 16;
const SIGMA = 3e-4;

const shift = (x: number, y: number): Matrix3 => Float64Array.of(1, 0, x, 0, 1, y, 0, 0, 1);

/** A link whose points go from one frame to the other as told, with a match's usual error. */
function linkOf(
  from: number,
  to: number,
  goes: (x: number, y: number) => { x: number; y: number },
  fit: Matrix3,
  sigma = 0,
): Link {
  const random = randomFrom(1 + from * 31 + to);
  const gauss = gaussFrom(7 + from * 17 + to);
  const matches: number[] = [];
  for (let k = 0; k < 120; k++) {
    const [x, y] = [2 * random(), 2 * ASPECT * random()];
    const p = goes(x, y);
    matches.push(x, y, p.x + sigma * gauss(), p.y + sigma * gauss());
  }
  return {
    from,
    to,
    matches: Float32Array.from(matches),
    fit: { matrix: fit, model: 'homography', inliers: 120, scale: sigma },
    likeness: 1,
  };
}

/** Link of two frames with known poses. */
function between(poses: readonly Matrix3[], from: number, to: number, sigma = 0): Link {
  const relative = multiply3(invert3(poses[to]), poses[from]);
  return linkOf(from, to, (x, y) => project(relative, x, y), relative, sigma);
}

/** Largest distance of the picture's corners between two motions, unit space. */
const apart = (a: Matrix3, b: Matrix3): number =>
  Math.max(
    ...[-1, 1].flatMap((x) =>
      [-ASPECT, ASPECT].map((y) => {
        const [p, q] = [project(a, x, y), project(b, x, y)];
        return Math.hypot(p.x - q.x, p.y - q.y);
      }),
    ),
  );
const relative = (poses: readonly Matrix3[], from: number, to: number): Matrix3 =>
  multiply3(invert3(poses[to]), poses[from]);

describe('poses', () => {
  it('of a chain are the links multiplied, both ways from the anchor; the camera stands where one is missing', () => {
    const truth = [0, 0.1, 0.15, 0.25, 0.3].map((x) => shift(x, -x / 2));
    const links = [between(truth, 0, 1), between(truth, 1, 2), between(truth, 3, 4)];
    const poses = chain(5, links, 2);
    expect(poses.map((m) => Math.round(m[2] * 1000))).toEqual([-150, -50, 0, 0, 50]);
    expect(poses.map((m) => Math.round(m[5] * 1000))).toEqual([75, 25, -0, -0, -25].map((v) => v + 0));
  });

  it('follow the long links where the short ones drift', () => {
    const count = 21;
    const truth = Array.from({ length: count }, (_, t) => shift(0.02 * t, 0.01 * Math.sin(t)));
    // Each short link is off by the same little bit; the long ones are right.
    const short = Array.from({ length: count - 1 }, (_, t) => {
      const m = multiply3(shift(0.0003, 0), relative(truth, t, t + 1));
      return linkOf(t, t + 1, (x, y) => project(m, x, y), m);
    });
    const long = [0, 5, 10, 15].flatMap((t) => [between(truth, t, t + 5), between(truth, 0, t + 5)]);
    const drifted = solvePoses(count, short, 2e-3);
    const held = solvePoses(count, [...short, ...long, ...long, ...long], 2e-3);
    expect(apart(relative(drifted, 0, 20), relative(truth, 0, 20))).toBeGreaterThan(0.0055);
    expect(apart(relative(held, 0, 20), relative(truth, 0, 20))).toBeLessThan(0.001);
    expect(apart(held[10], identity3())).toBeLessThan(1e-9);
  });

  it('are exact to a fraction of the error of a match', () => {
    const truth = Array.from({ length: 9 }, (_, t) =>
      Float64Array.of(1 + 0.002 * t, 0.01 * Math.sin(t), 0.02 * t, -0.01 * Math.sin(t), 1, 0.01 * t, 0.003 * t, 0, 1),
    );
    const links = Array.from({ length: 8 }, (_, t) => t).flatMap((t) =>
      [1, 3].filter((d) => t + d < 9).map((d) => between(truth, t, t + d, SIGMA)),
    );
    const poses = solvePoses(9, links, SIGMA);
    for (let t = 0; t < 8; t++) expect(apart(relative(poses, t, t + 1), relative(truth, t, t + 1))).toBeLessThan(SIGMA);
    const { error } = linkResiduals(links[0], poses);
    const rms = Math.sqrt(error.reduce((sum, e) => sum + e * e, 0) / error.length);
    expect(rms).toBeGreaterThan(0.7 * SIGMA);
    expect(rms).toBeLessThan(1.2 * SIGMA);
  });
});

describe('the residual mesh', () => {
  const cell = (x: number, y: number): { index: Int32Array; weight: Float64Array } => {
    const [index, weight] = [new Int32Array(4), new Float64Array(4)];
    meshCell(x, y, ASPECT, index, weight);
    return { index, weight };
  };

  it('has nodes at the corners of the picture, and the middle of it in its middle node', () => {
    expect([cell(-1, -ASPECT).index[0], [...cell(-1, -ASPECT).weight]]).toEqual([0, [1, 0, 0, 0]]);
    const { index, weight } = cell(1, ASPECT);
    expect(index[3]).toBe(MESH_COLS * MESH_ROWS - 1);
    expect(weight[3]).toBeGreaterThan(0.99);
    const middle = cell(0, 0);
    expect([middle.index[0], middle.weight[0]]).toEqual([5 * MESH_COLS + 8, 1]);
    // Beyond the picture its border goes on.
    expect([...cell(-3, 0).weight]).toEqual([...cell(-1, 0).weight]);
  });

  it('takes up most of what a lens bends and leaves a true plane flat', () => {
    const count = 6;
    const truth = Array.from({ length: count }, (_, t) => shift(0.12 * t, 0.02 * Math.cos(2 * t)));
    const bend = (x: number, y: number): [number, number] => {
      const k = 0.004 * (x * x + y * y);
      return [x + k * x, y + k * y];
    };
    /** Where a place of one frame lies in another: straightened, moved, and bent again (found by going back and forth). */
    const bent = (from: number, to: number): Link => {
      const m = relative(truth, from, to);
      return linkOf(
        from,
        to,
        (x, y) => {
          const p = project(m, ...bend(x, y));
          let [u, v] = [p.x, p.y];
          for (let k = 0; k < 20; k++) {
            const [a, b] = bend(u, v);
            [u, v] = [u + p.x - a, v + p.y - b];
          }
          return { x: u, y: v };
        },
        m,
      );
    };
    const pairs = Array.from({ length: count }, (_, t) => t).flatMap((t) =>
      [1, 2, 3].filter((d) => t + d < count).map((d): [number, number] => [t, t + d]),
    );
    const size = (mesh: Float32Array): number => Math.max(...mesh.map(Math.abs));
    const straightLinks = pairs.map(([a, b]) => between(truth, a, b));
    const straight = solveMesh(count, residualsOf(straightLinks, truth), SIGMA, ASPECT);
    expect(size(straight)).toBeLessThan(1e-4);
    const links = pairs.map(([a, b]) => bent(a, b));
    const mesh = solveMesh(count, residualsOf(links, truth), 2e-3, ASPECT);
    const [before, after] = [new Float32Array(mesh.length), mesh].map((m) => rmsWith(m, links, truth));
    expect(after).toBeLessThan(0.5 * before);
  });
});

/** Error of all matches with the mesh laid on: turn·mesh_from(x) − mesh_to(u) is what it adds. */
function rmsWith(mesh: Float32Array, links: readonly Link[], poses: Matrix3[]): number {
  const nodes = MESH_COLS * MESH_ROWS;
  const at = (frame: number, x: number, y: number, axis: number): number => {
    const [index, weight] = [new Int32Array(4), new Float64Array(4)];
    meshCell(x, y, ASPECT, index, weight);
    return index.reduce((sum, node, k) => sum + weight[k] * mesh[2 * (frame * nodes + node) + axis], 0);
  };
  let [sum, n] = [0, 0];
  for (const link of links) {
    const { error, turn } = linkResiduals(link, poses);
    for (let k = 0; k < error.length / 2; k++) {
      const [x, y, u, v] = link.matches.subarray(4 * k, 4 * k + 4);
      const [ax, ay] = [at(link.from, x, y, 0), at(link.from, x, y, 1)];
      const ex = error[2 * k] + turn[4 * k] * ax + turn[4 * k + 1] * ay - at(link.to, u, v, 0);
      const ey = error[2 * k + 1] + turn[4 * k + 2] * ax + turn[4 * k + 3] * ay - at(link.to, u, v, 1);
      sum += ex * ex + ey * ey;
      n += 2;
    }
  }
  return Math.sqrt(sum / n);
}
