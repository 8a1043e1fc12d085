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
