import { identity3, multiply3, type Matrix3 } from '../geometry/homography.ts';
import { median, solveCholesky } from '../geometry/linear.ts';

/** Correspondences (x, y) → (u, v), interleaved x y u v. */
export type Matches = Float32Array;

/** Motion models, each including the ones before; what the points support is fitted. */
export type MotionModel = 'none' | 'shift' | 'similarity' | 'affine' | 'homography';

export interface MotionFit {
  matrix: Matrix3;
  model: MotionModel;
  /** Points that agree with the motion within three times its scale. */
  inliers: number;
  /** Robust standard deviation of the agreeing points' error, in the unit of the points. */
  scale: number;
}

/** Directions of Δ in H·(I + Δ), Δ = [p0 p1 p2; p3 p4 p5; p6 p7 0], that each model may move in. */
const BASES: Record<Exclude<MotionModel, 'none'>, number[][]> = {
  shift: [unit(2), unit(5)],
  similarity: [unit(2), unit(5), [1, 0, 0, 0, 1, 0, 0, 0], [0, -1, 0, 1, 0, 0, 0, 0]],
  affine: [0, 1, 2, 3, 4, 5].map(unit),
  homography: [0, 1, 2, 3, 4, 5, 6, 7].map(unit),
};
function unit(k: number): number[] {
  return Array.from({ length: 8 }, (_, i) => (i === k ? 1 : 0));
}

/** Points that a model needs to be trusted; a homography also needs them spread over the picture. */
const NEEDED = { homography: 24, affine: 12, similarity: 5, shift: 2 };
const SAMPLES = 120;
const ROUNDS = 8;

/**
 * Robust motion between two frames: similarity by random sampling (Fischler & Bolles 1981), then iteratively
 * reweighted Gauss-Newton with Geman-McClure weights on the richest model that the agreeing points support.
 *
 * Works in centred coordinates of about unit size, so that the eight parameters have comparable effects.
 *
 * @param tolerance - Error at which a point still counts as agreeing in the first stage, in the unit of the points.
 * @param start - Given, the sampling stage is skipped.
 */
export function fitMotion(matches: Matches, tolerance: number, start?: Matrix3): MotionFit {
  const n = matches.length / 4;
  if (n < NEEDED.shift) return { matrix: start ?? identity3(), model: 'none', inliers: 0, scale: 0 };
  let matrix = start ?? sampleSimilarity(matches, tolerance);
  let agreeing = agreement(matches, matrix, tolerance);
  const model = richest(matches, matrix, tolerance, agreeing);
  let scale = tolerance / 3;
  for (let round = 0; round < ROUNDS; round++) {
    matrix = step(matches, matrix, BASES[model], scale * 2);
    scale = Math.min(tolerance / 3, Math.max(1.4826 * median(errors(matches, matrix, tolerance)), tolerance / 300));
  }
  agreeing = agreement(matches, matrix, 3 * scale);
  return { matrix, model, inliers: agreeing, scale };
}

function richest(matches: Matches, m: Matrix3, tolerance: number, agreeing: number): Exclude<MotionModel, 'none'> {
  if (agreeing >= NEEDED.homography && spread(matches, m, tolerance) >= 6) return 'homography';
  if (agreeing >= NEEDED.affine) return 'affine';
  return agreeing >= NEEDED.similarity ? 'similarity' : 'shift';
}

/** Cells of a 4x4 grid (over -1..1) that hold agreeing points. */
function spread(matches: Matches, m: Matrix3, tolerance: number): number {
  const cells = new Set<number>();
  for (let i = 0; i < matches.length; i += 4) {
    const cx = Math.min(3, Math.max(0, Math.floor((matches[i] + 1) * 2)));
    const cy = Math.min(3, Math.max(0, Math.floor((matches[i + 1] + 0.6) * 3.3)));
    if (squaredError(matches, i, m) < tolerance * tolerance) cells.add(cy * 4 + cx);
  }
  return cells.size;
}

/** Squared error of the match whose x is at an index, in the unit of the points. */
export function squaredError(matches: Matches, i: number, m: Matrix3): number {
  const [x, y] = [matches[i], matches[i + 1]];
  const q = 1 / (m[6] * x + m[7] * y + m[8]);
  const dx = (m[0] * x + m[1] * y + m[2]) * q - matches[i + 2];
  const dy = (m[3] * x + m[4] * y + m[5]) * q - matches[i + 3];
  return dx * dx + dy * dy;
}

function errors(matches: Matches, m: Matrix3, below: number): Float64Array {
  const out = new Float64Array(matches.length / 4);
  let n = 0;
  for (let i = 0; i < matches.length; i += 4) {
    const e = squaredError(matches, i, m);
    if (e < below * below) out[n++] = Math.sqrt(e / 2);
  }
  return out.subarray(0, n);
}

function agreement(matches: Matches, m: Matrix3, below: number): number {
  const most = below * below;
  let count = 0;
  for (let i = 0; i < matches.length; i += 4) if (squaredError(matches, i, m) < most) count++;
  return count;
}

function sampleSimilarity(matches: Matches, tolerance: number): Matrix3 {
  const n = matches.length / 4;
  let best = shiftOf(matches, 0);
  let most = -1;
  let state = 12345;
  const pick = (): number => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return Math.floor((state / 4294967296) * n) * 4;
  };
  for (let k = 0; k < SAMPLES; k++) {
    const m = similarityOf(matches, pick(), pick());
    const count = agreement(matches, m, tolerance);
    if (count > most) {
      most = count;
      best = m;
    }
  }
  return best;
}

function shiftOf(m: Matches, i: number): Matrix3 {
  return Float64Array.of(1, 0, m[i + 2] - m[i], 0, 1, m[i + 3] - m[i + 1], 0, 0, 1);
}

function similarityOf(m: Matches, i: number, j: number): Matrix3 {
  const dx = m[j] - m[i];
  const dy = m[j + 1] - m[i + 1];
  const du = m[j + 2] - m[i + 2];
  const dv = m[j + 3] - m[i + 3];
  const q = dx * dx + dy * dy;
  if (q < 1e-6) return shiftOf(m, i);
  const a = (dx * du + dy * dv) / q;
  const b = (dx * dv - dy * du) / q;
  return Float64Array.of(a, -b, m[i + 2] - a * m[i] + b * m[i + 1], b, a, m[i + 3] - b * m[i] - a * m[i + 1], 0, 0, 1);
}

/** One reweighted Gauss-Newton step within the span of `basis`. */
function step(matches: Matches, m: Matrix3, basis: number[][], sigma: number): Matrix3 {
  const k = basis.length;
  const normal = normalEquations(matches, m, sigma);
  const a = new Float64Array(k * k);
  const b = new Float64Array(k);
  for (let r = 0; r < k; r++) {
    // A row of the basis times the matrix, which is symmetric.
    const row = Array.from({ length: 8 }, (_, q) =>
      dot8(basis[r], (p) => normal.a[Math.max(p, q) * 8 + Math.min(p, q)]),
    );
    b[r] = dot8(basis[r], (p) => normal.b[p]);
    for (let c = 0; c <= r; c++) a[r * k + c] = dot8(basis[c], (q) => row[q]);
    a[r * k + r] += 1e-9 + 1e-6 * a[r * k + r];
  }
  if (!solveCholesky(a, b, k)) return m;
  const delta = new Float64Array(8);
  for (let r = 0; r < k; r++) for (let c = 0; c < 8; c++) delta[c] += b[r] * basis[r][c];
  return applyUpdate(m, delta);
}

function dot8(weights: readonly number[], of: (i: number) => number): number {
  let sum = 0;
  for (let i = 0; i < 8; i++) if (weights[i] !== 0) sum += weights[i] * of(i);
  return sum;
}

/** Weighted normal equations for all eight entries of Δ: the lower half of the matrix, 8·8, and the right side. */
function normalEquations(matches: Matches, m: Matrix3, sigma: number): { a: Float64Array; b: Float64Array } {
  const a = new Float64Array(64);
  const b = new Float64Array(8);
  const j = new Float64Array(16);
  for (let i = 0; i < matches.length; i += 4) {
    const p = parameterJacobian(m, matches[i], matches[i + 1], j);
    const ex = p.x - matches[i + 2];
    const ey = p.y - matches[i + 3];
    const w = gemanMcClure(ex * ex + ey * ey, sigma * sigma);
    for (let r = 0; r < 8; r++) {
      const [wx, wy] = [w * j[r], w * j[8 + r]];
      b[r] -= wx * ex + wy * ey;
      for (let c = 0; c <= r; c++) a[r * 8 + c] += wx * j[c] + wy * j[8 + c];
    }
  }
  return { a, b };
}

export const gemanMcClure = (squared: number, sigma2: number): number => (sigma2 / (sigma2 + squared)) ** 2;

/** m·(I + Δ). */
export function applyUpdate(m: ArrayLike<number>, d: ArrayLike<number>): Matrix3 {
  return multiply3(m, [1 + d[0], d[1], d[2], d[3], 1 + d[4], d[5], d[6], d[7], 1]);
}

/**
 * Where H·(I + Δ) puts (x, y), and the derivative by the eight entries of Δ: `out` gets dX/dΔ (0..7), dY/dΔ (8..15).
 */
export function parameterJacobian(
  m: ArrayLike<number>,
  x: number,
  y: number,
  out: Float64Array,
): { x: number; y: number } {
  const q = 1 / (m[6] * x + m[7] * y + m[8]);
  const px = (m[0] * x + m[1] * y + m[2]) * q;
  const py = (m[3] * x + m[4] * y + m[5]) * q;
  for (let r = 0; r < 3; r++) {
    // Derivative by the r-th component of the homogeneous point that H acts on.
    const dx = (m[r] - px * m[6 + r]) * q;
    const dy = (m[3 + r] - py * m[6 + r]) * q;
    const c = r * 3;
    out[c] = dx * x;
    out[c + 1] = dx * y;
    out[8 + c] = dy * x;
    out[9 + c] = dy * y;
    if (r < 2) {
      out[c + 2] = dx;
      out[10 + c] = dy;
    }
  }
  return { x: px, y: py };
}
