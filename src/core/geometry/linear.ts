/** Adds the equation f·x = value, of some weight, to the normal equations a·x = b; of `a` (n·n) the lower triangle is written. */
export function addEquation(
  a: Float64Array,
  b: Float64Array,
  f: readonly number[],
  value: number,
  weight: number,
): void {
  const n = f.length;
  for (let r = 0; r < n; r++) {
    if (f[r] === 0) continue;
    b[r] += weight * f[r] * value;
    for (let c = 0; c <= r; c++) a[r * n + c] += weight * f[r] * f[c];
  }
}

/**
 * Solves the symmetric positive system a·x = b in place by Cholesky (Golub & Van Loan 4.2).
 *
 * @param a - n·n, row-major; the lower triangle is read and overwritten.
 * @param b - n; overwritten with the solution.
 * @returns false if `a` is not positive definite (then `b` is meaningless).
 */
export function solveCholesky(a: Float64Array, b: Float64Array, n: number): boolean {
  for (let j = 0; j < n; j++) {
    let d = a[j * n + j];
    for (let k = 0; k < j; k++) d -= a[j * n + k] ** 2;
    if (!(d > 0)) return false;
    const root = Math.sqrt(d);
    a[j * n + j] = root;
    for (let i = j + 1; i < n; i++) {
      let s = a[i * n + j];
      for (let k = 0; k < j; k++) s -= a[i * n + k] * a[j * n + k];
      a[i * n + j] = s / root;
    }
  }
  for (let i = 0; i < n; i++) {
    let s = b[i];
    for (let k = 0; k < i; k++) s -= a[i * n + k] * b[k];
    b[i] = s / a[i * n + i];
  }
  for (let i = n - 1; i >= 0; i--) {
    let s = b[i];
    for (let k = i + 1; k < n; k++) s -= a[k * n + i] * b[k];
    b[i] = s / a[i * n + i];
  }
  return true;
}

/**
 * Solves a symmetric positive banded system a·x = b in place by Cholesky (Golub & Van Loan 4.3).
 *
 * @param band - n·(width + 1): of row i the diagonal, then the `width` entries left of it, nearest first; overwritten.
 * @param b - n; overwritten with the solution.
 * @param width - Diagonals below the main one.
 */
export function solveBanded(band: Float64Array, b: Float64Array, n: number, width: number): void {
  const at = (i: number, j: number): number => i * (width + 1) + (i - j);
  for (let i = 0; i < n; i++) {
    for (let j = Math.max(0, i - width); j <= i; j++) {
      let s = band[at(i, j)];
      for (let k = Math.max(0, i - width); k < j; k++) s -= band[at(i, k)] * (j - k <= width ? band[at(j, k)] : 0);
      band[at(i, j)] = i === j ? Math.sqrt(s) : s / band[at(j, j)];
    }
  }
  for (let i = 0; i < n; i++) {
    for (let k = Math.max(0, i - width); k < i; k++) b[i] -= band[at(i, k)] * b[k];
    b[i] /= band[at(i, i)];
  }
  for (let i = n - 1; i >= 0; i--) {
    for (let k = i + 1; k <= Math.min(n - 1, i + width); k++) b[i] -= band[at(k, i)] * b[k];
    b[i] /= band[at(i, i)];
  }
}

/**
 * Conjugate gradients for a symmetric positive operator, preconditioned (Golub & Van Loan 11.5).
 *
 * @param apply - out = A·v.
 * @param precondition - out ≈ A⁻¹·v.
 * @param b - Right-hand side.
 * @returns x after at most `iterations`, or once the residual has fallen by `tolerance`.
 */
export function conjugateGradients(
  apply: (v: Float64Array, out: Float64Array) => void,
  precondition: (v: Float64Array, out: Float64Array) => void,
  b: Float64Array,
  iterations: number,
  tolerance = 1e-8,
): Float64Array {
  const n = b.length;
  const x = new Float64Array(n);
  const r = b.slice();
  const z = new Float64Array(n);
  const q = new Float64Array(n);
  precondition(r, z);
  const p = z.slice();
  let rz = dot(r, z);
  const goal = rz * tolerance * tolerance;
  for (let it = 0; it < iterations && rz > goal && rz > 0; it++) {
    apply(p, q);
    const alpha = rz / dot(p, q);
    for (let i = 0; i < n; i++) {
      x[i] += alpha * p[i];
      r[i] -= alpha * q[i];
    }
    precondition(r, z);
    const next = dot(r, z);
    const beta = next / rz;
    for (let i = 0; i < n; i++) p[i] = z[i] + beta * p[i];
    rz = next;
  }
  return x;
}

function dot(a: Float64Array, b: Float64Array): number {
  let s = 0;
  for (let i = 0; i < a.length; i++) s += a[i] * b[i];
  return s;
}

/** Length of a vector (x, y). `Math.hypot`, which guards against overflow, takes three times as long. */
export const norm2 = (x: number, y: number): number => Math.sqrt(x * x + y * y);

/** Median; 0 for none. */
export const median = (values: ArrayLike<number>): number => medianOfFirst(new Float64Array(values), values.length);

/** Median of the first `n` values, which are put in another order; 0 for none. */
export function medianOfFirst(v: Float64Array, n: number): number {
  if (n === 0) return 0;
  const mid = n >> 1;
  const upper = select(v, mid, n);
  if (n % 2 === 1) return upper;
  let lower = v[0];
  for (let i = 1; i < mid; i++) if (v[i] > lower) lower = v[i];
  return (lower + upper) / 2;
}

/** Brings the k-th smallest of the first `n` values to place k, with none larger before it and none smaller behind (Hoare 1961). */
export function select(v: Float64Array, k: number, n = v.length): number {
  let [left, right] = [0, n - 1];
  while (left < right) {
    const pivot = v[k];
    let [i, j] = [left, right];
    while (i <= j) {
      while (v[i] < pivot) i++;
      while (v[j] > pivot) j--;
      if (i > j) break;
      const held = v[i];
      v[i] = v[j];
      v[j] = held;
      i++;
      j--;
    }
    if (j < k) left = i;
    if (k < i) right = j;
  }
  return v[k];
}
