/**
 * 3x3 matrices, row-major, acting on homogeneous points (x, y, 1): [m0 m1 m2; m3 m4 m5; m6 m7 m8].
 */
export type Matrix3 = Float64Array;

export interface Point {
  x: number;
  y: number;
}

export function identity3(): Matrix3 {
  return Float64Array.of(1, 0, 0, 0, 1, 0, 0, 0, 1);
}

/** a·b: first b, then a. */
export function multiply3(a: ArrayLike<number>, b: ArrayLike<number>): Matrix3 {
  const out = new Float64Array(9);
  for (let r = 0; r < 9; r += 3) {
    for (let c = 0; c < 3; c++) out[r + c] = a[r] * b[c] + a[r + 1] * b[c + 3] + a[r + 2] * b[c + 6];
  }
  return out;
}

/** Inverse by the adjugate. A singular matrix gives non-finite values. */
export function invert3(m: ArrayLike<number>): Matrix3 {
  const a = m[4] * m[8] - m[5] * m[7];
  const b = m[5] * m[6] - m[3] * m[8];
  const c = m[3] * m[7] - m[4] * m[6];
  const q = 1 / (m[0] * a + m[1] * b + m[2] * c);
  return Float64Array.of(
    a * q,
    (m[2] * m[7] - m[1] * m[8]) * q,
    (m[1] * m[5] - m[2] * m[4]) * q,
    b * q,
    (m[0] * m[8] - m[2] * m[6]) * q,
    (m[2] * m[3] - m[0] * m[5]) * q,
    c * q,
    (m[1] * m[6] - m[0] * m[7]) * q,
    (m[0] * m[4] - m[1] * m[3]) * q,
  );
}

/** Scaled so that the last entry is 1. */
export function normalise3(m: ArrayLike<number>): Matrix3 {
  return Float64Array.from(m, (v) => v / m[8]);
}

/** The same motion for pictures that are larger by a factor; both have their px centres at whole numbers. */
export function enlarged(m: ArrayLike<number>, factor: number): Matrix3 {
  const off = (factor - 1) / 2;
  const up = Float64Array.of(factor, 0, off, 0, factor, off, 0, 0, 1);
  return multiply3(up, multiply3(m, invert3(up)));
}

export function project(m: ArrayLike<number>, x: number, y: number): Point {
  const q = 1 / (m[6] * x + m[7] * y + m[8]);
  return { x: (m[0] * x + m[1] * y + m[2]) * q, y: (m[3] * x + m[4] * y + m[5]) * q };
}

/** Derivative of {@link project} at (x, y): [dx/dx, dx/dy, dy/dx, dy/dy]. */
export function jacobian(m: ArrayLike<number>, x: number, y: number): [number, number, number, number] {
  const q = 1 / (m[6] * x + m[7] * y + m[8]);
  const px = (m[0] * x + m[1] * y + m[2]) * q;
  const py = (m[3] * x + m[4] * y + m[5]) * q;
  return [(m[0] - px * m[6]) * q, (m[1] - px * m[7]) * q, (m[3] - py * m[6]) * q, (m[4] - py * m[7]) * q];
}

/**
 * The homography that takes the corners of one quadrilateral to those of another, in order (by way of the unit square,
 * Heckbert 1989). Undefined if three corners of either lie on a line.
 */
export function quadToQuad(from: readonly Point[], to: readonly Point[]): Matrix3 | undefined {
  const [a, b] = [squareToQuad(from), squareToQuad(to)];
  if (!a || !b) return undefined;
  const m = multiply3(b, invert3(a));
  return m.every(Number.isFinite) ? normalise3(m) : undefined;
}

function squareToQuad([p0, p1, p2, p3]: readonly Point[]): Matrix3 | undefined {
  const [dx1, dy1, dx2, dy2] = [p1.x - p2.x, p1.y - p2.y, p3.x - p2.x, p3.y - p2.y];
  const [sx, sy] = [p0.x - p1.x + p2.x - p3.x, p0.y - p1.y + p2.y - p3.y];
  const det = dx1 * dy2 - dx2 * dy1;
  if (Math.abs(det) < 1e-9) return undefined;
  const g = (sx * dy2 - dx2 * sy) / det;
  const h = (dx1 * sy - sx * dy1) / det;
  return Float64Array.of(
    ...[p1.x - p0.x + g * p1.x, p3.x - p0.x + h * p3.x, p0.x],
    ...[p1.y - p0.y + g * p1.y, p3.y - p0.y + h * p3.y, p0.y],
    ...[g, h, 1],
  );
}

/** Smallest upright rectangle around points: [x0, y0, x1, y1]. */
export function boundsOf(points: readonly Point[]): [number, number, number, number] {
  const xs = points.map((p) => p.x);
  const ys = points.map((p) => p.y);
  return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
}

/** Mean of points. */
export function middleOf(points: readonly Point[]): Point {
  const n = points.length;
  return { x: points.reduce((s, p) => s + p.x, 0) / n, y: points.reduce((s, p) => s + p.y, 0) / n };
}

/** Points between two lists, pair by pair straight: t = 0 the first, 1 the second. */
export const mixPoints = (a: readonly Point[], b: readonly Point[], t: number): Point[] =>
  a.map((p, i) => ({ x: p.x + (b[i].x - p.x) * t, y: p.y + (b[i].y - p.y) * t }));
