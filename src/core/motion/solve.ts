import { identity3, invert3, jacobian, multiply3, normalise3, type Matrix3 } from '../geometry/homography.ts';
import { conjugateGradients, solveCholesky } from '../geometry/linear.ts';
import { applyUpdate, gemanMcClure, parameterJacobian } from './fitMotion.ts';
import type { Link } from './links.ts';

/** Matches of a link that enter the solution: evenly thinned to this many. */
const MATCHES_PER_LINK = 100;
const ROUNDS = 4;
const CG_ITERATIONS = 200;
/** Weight of "a frame moves like its neighbour", against one match: decides only where nothing was measured. */
const STILL_WEIGHT = 1e-4;

/**
 * Poses of all frames from all links at once: minimises the robust distance between G_to⁻¹·G_from·x and its match
 * over homographies G (frame → common plane), by Gauss-Newton with conjugate gradients on the sparse normal equations
 * (Triggs et al. 2000, bundle adjustment; here on a plane). Long links keep chains of short ones from drifting.
 *
 * @param sigma - Scale of an honest match's error, unit space.
 * @returns One matrix per frame; that of frame `anchor` is the identity.
 */
export function solvePoses(count: number, links: readonly Link[], sigma: number): Matrix3[] {
  const anchor = count >> 1;
  let poses = chain(count, links, anchor);
  for (let round = 0; round < ROUNDS; round++) {
    const delta = solveRound(poses, links, sigma, anchor);
    poses = poses.map((m, t) => normalise3(applyUpdate(m, delta.subarray(8 * t, 8 * t + 8))));
    const back = invert3(poses[anchor]);
    poses = poses.map((m) => normalise3(multiply3(back, m)));
  }
  return poses;
}

/** Poses by multiplying the links between neighbours; where one is missing the camera stands still. */
export function chain(count: number, links: readonly Link[], anchor: number): Matrix3[] {
  const next: Matrix3[] = Array.from({ length: count }, identity3);
  for (const link of links) if (link.to === link.from + 1) next[link.from] = link.fit.matrix;
  const poses: Matrix3[] = Array.from({ length: count }, identity3);
  for (let t = anchor - 1; t >= 0; t--) poses[t] = normalise3(multiply3(poses[t + 1], next[t]));
  for (let t = anchor + 1; t < count; t++) poses[t] = normalise3(multiply3(poses[t - 1], invert3(next[t - 1])));
  return poses;
}

/** Normal equations of one link: blocks of (from, from), (to, to), (from, to). */
interface Blocks {
  from: number;
  to: number;
  cross: Float64Array;
}

function solveRound(poses: Matrix3[], links: readonly Link[], sigma: number, anchor: number): Float64Array {
  const count = poses.length;
  const diagonal = new Float64Array(count * 64);
  const right = new Float64Array(count * 8);
  const blocks = links.map((link) => accumulate(link, poses, sigma, diagonal, right));
  for (let t = 0; t < count; t++) {
    for (let k = 0; k < 8; k++) diagonal[t * 64 + k * 9] += t === anchor ? 1e9 : 1e-6;
  }
  for (let t = 0; t + 1 < count; t++) blocks.push(tie(t, diagonal));
  const factors = factorise(diagonal, count);
  return conjugateGradients(
    (v, out) => applyBlocks(diagonal, blocks, count, v, out),
    (v, out) => {
      for (let t = 0; t < count; t++) backSubstitute(factors, t * 64, v, out, t * 8);
    },
    right,
    CG_ITERATIONS,
  );
}

function tie(t: number, diagonal: Float64Array): Blocks {
  const cross = new Float64Array(64);
  for (let k = 0; k < 64; k += 9) {
    cross[k] = -STILL_WEIGHT;
    diagonal[t * 64 + k] += STILL_WEIGHT;
    diagonal[(t + 1) * 64 + k] += STILL_WEIGHT;
  }
  return { from: t, to: t + 1, cross };
}

function accumulate(link: Link, poses: Matrix3[], sigma: number, diagonal: Float64Array, right: Float64Array): Blocks {
  const { from, to, matches } = link;
  const relative = multiply3(invert3(poses[to]), poses[from]);
  const cross = new Float64Array(64);
  const ja = new Float64Array(16);
  const jb = new Float64Array(16);
  const identity = identity3();
  const n = matches.length / 4;
  const stride = Math.max(1, n / MATCHES_PER_LINK);
  for (let k = 0; k < n; k += stride) {
    const i = Math.floor(k) * 4;
    const p = parameterJacobian(relative, matches[i], matches[i + 1], ja);
    // Moving the target's own pose moves the projected point the other way.
    parameterJacobian(identity, p.x, p.y, jb);
    const ex = p.x - matches[i + 2];
    const ey = p.y - matches[i + 3];
    const w = gemanMcClure(ex * ex + ey * ey, 9 * sigma * sigma) * stride;
    for (let r = 0; r < 8; r++) {
      const [ax, ay, bx, by] = [w * ja[r], w * ja[8 + r], w * jb[r], w * jb[8 + r]];
      right[from * 8 + r] -= ax * ex + ay * ey;
      right[to * 8 + r] += bx * ex + by * ey;
      for (let c = 0; c < 8; c++) {
        diagonal[from * 64 + r * 8 + c] += ax * ja[c] + ay * ja[8 + c];
        diagonal[to * 64 + r * 8 + c] += bx * jb[c] + by * jb[8 + c];
        cross[r * 8 + c] -= ax * jb[c] + ay * jb[8 + c];
      }
    }
  }
  return { from, to, cross };
}

function applyBlocks(
  diagonal: Float64Array,
  blocks: Blocks[],
  count: number,
  v: Float64Array,
  out: Float64Array,
): void {
  out.fill(0);
  for (let t = 0; t < count; t++) {
    for (let r = 0; r < 8; r++) {
      let s = 0;
      for (let c = 0; c < 8; c++) s += diagonal[t * 64 + r * 8 + c] * v[t * 8 + c];
      out[t * 8 + r] += s;
    }
  }
  for (const { from, to, cross } of blocks) {
    for (let r = 0; r < 8; r++) {
      for (let c = 0; c < 8; c++) {
        out[from * 8 + r] += cross[r * 8 + c] * v[to * 8 + c];
        out[to * 8 + c] += cross[r * 8 + c] * v[from * 8 + r];
      }
    }
  }
}

/** Inverses of the 8x8 diagonal blocks. */
function factorise(diagonal: Float64Array, count: number): Float64Array {
  const out = new Float64Array(count * 64);
  for (let t = 0; t < count; t++) {
    for (let c = 0; c < 8; c++) {
      const a = diagonal.slice(t * 64, t * 64 + 64);
      const b = new Float64Array(8);
      b[c] = 1;
      solveCholesky(a, b, 8);
      for (let r = 0; r < 8; r++) out[t * 64 + r * 8 + c] = b[r];
    }
  }
  return out;
}

function backSubstitute(inverse: Float64Array, at: number, v: Float64Array, out: Float64Array, o: number): void {
  for (let r = 0; r < 8; r++) {
    let s = 0;
    for (let c = 0; c < 8; c++) s += inverse[at + r * 8 + c] * v[o + c];
    out[o + r] = s;
  }
}

/** Residuals of a link under given poses: interleaved x, y (place in `from`), u, v (place in `to`), ex, ey, local turn. */
export function linkResiduals(link: Link, poses: Matrix3[]): { error: Float64Array; turn: Float64Array } {
  const relative = multiply3(invert3(poses[link.to]), poses[link.from]);
  const n = link.matches.length / 4;
  const error = new Float64Array(2 * n);
  const turn = new Float64Array(4 * n);
  const scratch = new Float64Array(16);
  for (let k = 0; k < n; k++) {
    const [x, y, u, v] = link.matches.subarray(4 * k, 4 * k + 4);
    const p = parameterJacobian(relative, x, y, scratch);
    error[2 * k] = p.x - u;
    error[2 * k + 1] = p.y - v;
    turn.set(jacobian(relative, x, y), 4 * k);
  }
  return { error, turn };
}
