import { describe, expect, it } from '@jest/globals';
import { gaussFrom } from '../testing/random.ts';
import { invert3, jacobian, multiply3, project } from './homography.ts';
import { shorth } from './shorth.ts';
import { conjugateGradients, median, solveBanded, solveCholesky } from './linear.ts';

describe('homography', () => {
  const m = Float64Array.of(1.1, 0.2, 5, -0.1, 0.9, -3, 0.001, 0.002, 1);

  it('is undone by its inverse', () => {
    const p = project(m, 12, 34);
    const q = project(invert3(m), p.x, p.y);
    expect(q.x).toBeCloseTo(12, 9);
    expect(q.y).toBeCloseTo(34, 9);
  });

  it('composes right to left', () => {
    const shift = Float64Array.of(1, 0, 2, 0, 1, 0, 0, 0, 1);
    const scale = Float64Array.of(3, 0, 0, 0, 3, 0, 0, 0, 1);
    expect(project(multiply3(scale, shift), 1, 1)).toEqual({ x: 9, y: 3 });
  });

  it('has the derivative that differences show', () => {
    const e = 1e-5;
    const [a, b] = jacobian(m, 4, 7);
    expect(a).toBeCloseTo((project(m, 4 + e, 7).x - project(m, 4 - e, 7).x) / (2 * e), 5);
    expect(b).toBeCloseTo((project(m, 4, 7 + e).x - project(m, 4, 7 - e).x) / (2 * e), 5);
  });
});

describe('the shorth', () => {
  const normal = Array.from({ length: 600 }, gaussFrom(5));

  it('is where normal values lie, and as wide', () => {
    const { middle, sigma } = shorth(normal.map((v) => 20 + 3 * v));
    expect(Math.abs(middle - 20)).toBeLessThan(1.2);
    expect(Math.abs(sigma - 3)).toBeLessThan(0.6);
  });

  it('holds where six tenths lie elsewhere, which the median does not', () => {
    const mixed = normal.map((v, i) => (i % 10 < 6 ? 60 + ((i * 37) % 100) : v));
    expect(Math.abs(shorth(mixed).middle)).toBeLessThan(0.6);
    expect(shorth(mixed).sigma).toBeLessThan(3.5);
    expect(median(mixed)).toBeGreaterThan(20);
  });

  it('is nowhere without values', () => {
    expect(shorth([]).middle).toBeNaN();
  });
});

describe('linear', () => {
  it('solves a system worked by hand', () => {
    // 4x + 2y = 10, 2x + 3y = 9  →  x = 1.5, y = 2
    const b = Float64Array.of(10, 9);
    expect(solveCholesky(Float64Array.of(4, 0, 2, 3), b, 2)).toBe(true);
    expect([...b]).toEqual([1.5, 2].map((v) => expect.closeTo(v, 12)));
  });

  it('solves a banded system like the full one', () => {
    // Second differences of five values, held at both ends.
    const full = [7, -4, 1, 0, 0, -4, 8, -4, 1, 0, 1, -4, 9, -4, 1, 0, 1, -4, 8, -4, 0, 0, 1, -4, 7];
    const want = Float64Array.of(1, 2, 3, 4, 6);
    solveCholesky(Float64Array.from(full), want, 5);
    const band = new Float64Array(15);
    for (let i = 0; i < 5; i++) for (let d = 0; d <= Math.min(2, i); d++) band[3 * i + d] = full[5 * i + i - d];
    const got = Float64Array.of(1, 2, 3, 4, 6);
    solveBanded(band, got, 5, 2);
    expect([...got]).toEqual([...want].map((v) => expect.closeTo(v, 9)));
  });

  it('refuses a matrix that is not positive definite', () => {
    expect(solveCholesky(Float64Array.of(1, 0, 2, 1), Float64Array.of(1, 1), 2)).toBe(false);
  });

  it('conjugate gradients reach the same solution', () => {
    const x = conjugateGradients(
      (v, out) => out.set([4 * v[0] + 2 * v[1], 2 * v[0] + 3 * v[1]]),
      (v, out) => out.set(v),
      Float64Array.of(10, 9),
      10,
    );
    expect(x[0]).toBeCloseTo(1.5, 9);
    expect(x[1]).toBeCloseTo(2, 9);
  });

  it('takes the middle', () => {
    expect(median([5, 1, 3])).toBe(3);
    expect(median([4, 1])).toBe(2.5);
    expect(median([])).toBe(0);
  });

  it('agrees with sorting, whatever repeats', () => {
    let state = 7;
    const next = (): number => (state = (state * 16807) % 2147483647);
    for (let n = 1; n < 60; n++) {
      const values = Array.from({ length: n }, () => next() % (n % 3 === 0 ? 4 : 1000));
      const sorted = [...values].sort((a, b) => a - b);
      const middle = n % 2 === 1 ? sorted[n >> 1] : (sorted[n / 2 - 1] + sorted[n / 2]) / 2;
      expect(median(values)).toBe(middle);
    }
  });
});
