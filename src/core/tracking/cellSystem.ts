import type { Point } from '../geometry/homography.ts';
import { median, solveCholesky } from '../geometry/linear.ts';
import { gemanMcClure } from '../motion/fitMotion.ts';
import type { CellReading } from './alignRegion.ts';
import type { Motion } from './regionModel.ts';

/** What is expected of the parameters before looking, and how far they may stray from it (standard deviation). */
export interface Expectation {
  motion: Motion;
  deviation: Motion;
}

/** Variance that even a perfect match keeps: interpolation and rounding; samples of 14 bits. */
const NOISE_FLOOR = 24 ** 2;
/** Rounds of weighting within one step. */
const ROUNDS = 3;
/** Columns of a cell's row: normal matrix (3), right side (2), noise, prior weight, weight, off, level, likeness, area, x, y. */
const ROW = 14;
const [HXX, HXY, HYY, BX, BY, NOISE, PRIOR, WEIGHT, OFF, LEVEL, LIKENESS, AREA, X, Y] = Array(ROW).keys();

/**
 * The least-squares system of a region's cells: each cell has a 2x2 system for its own shift, and the derivative of that
 * shift by the region's parameters. Flat arrays, since it is built several times a frame.
 */
export class CellSystem {
  private readonly rows: Float64Array;
  /** Per cell: derivatives of x, then of y, by the parameters. */
  private readonly slopes: Float64Array;
  private readonly matrix: Float64Array;
  private readonly right: Float64Array;
  private readonly k: number;
  private n = 0;

  constructor(
    cells: number,
    private readonly free: readonly number[],
  ) {
    this.k = free.length;
    this.rows = new Float64Array(cells * ROW);
    this.slopes = new Float64Array(cells * 2 * this.k);
    this.matrix = new Float64Array(this.k * this.k);
    this.right = new Float64Array(this.k);
  }

  clear(): void {
    this.n = 0;
  }

  /** Takes over a measured cell (see `kernels/assembly/align.ts`). @returns Its index. */
  add(records: Float32Array, at: number, anchor: Point, level: number, trust: number, strict: boolean): number {
    const likeness = records[at + 15];
    const area = records[at + 14];
    const noise = Math.max(NOISE_FLOOR, (records[at + 13] / area) * (1 - likeness * likeness));
    const prior = trust * likenessWeight(likeness, strict);
    const { rows } = this;
    const i = this.n * ROW;
    rows[i + HXX] = records[at + 10];
    rows[i + HXY] = records[at + 11];
    rows[i + HYY] = records[at + 12];
    rows[i + BX] = records[at + 6];
    rows[i + BY] = records[at + 7];
    rows[i + NOISE] = noise;
    rows[i + PRIOR] = prior;
    rows[i + WEIGHT] = prior;
    rows[i + OFF] = 0;
    rows[i + LEVEL] = level;
    rows[i + LIKENESS] = likeness;
    rows[i + AREA] = area;
    rows[i + X] = anchor.x;
    rows[i + Y] = anchor.y;
    return this.n++;
  }

  /** Sets how a cell's place in the known picture changes with a parameter, px of the level. */
  derive(cell: number, parameter: number, x: number, y: number): void {
    const at = cell * 2 * this.k + parameter;
    this.slopes[at] = x;
    this.slopes[at + this.k] = y;
  }

  /**
   * One robust step; sets the weights of the cells.
   * @param scale - Error at which a cell counts a quarter, px of the level.
   * @returns What is to be taken from the parameters; undefined where nothing determines them.
   */
  solve(scale: number, expected: Expectation, motion: Motion): Float64Array | undefined {
    let step: Float64Array | undefined;
    for (let round = 0; round < ROUNDS; round++) {
      if (step) this.weigh(step, scale);
      this.build();
      step = this.invert(expected, motion);
      if (!step) return undefined;
    }
    this.weigh(step!, scale);
    this.build();
    return step;
  }

  private weigh(step: Float64Array, scale: number): void {
    for (let c = 0; c < this.n; c++) {
      const i = c * ROW;
      const off = this.residual(c, step);
      this.rows[i + OFF] = off;
      this.rows[i + WEIGHT] = this.rows[i + PRIOR] * gemanMcClure(off * off, scale * scale);
    }
  }

  /** Weighted normal equations of the cells alone. */
  private build(): void {
    const { rows, slopes, matrix, right, k } = this;
    matrix.fill(0);
    right.fill(0);
    for (let c = 0; c < this.n; c++) {
      const i = c * ROW;
      const w = rows[i + WEIGHT] / rows[i + NOISE];
      if (w === 0) continue;
      const [hxx, hxy, hyy] = [rows[i + HXX] * w, rows[i + HXY] * w, rows[i + HYY] * w];
      const [bx, by] = [rows[i + BX] * w, rows[i + BY] * w];
      const x = c * 2 * k;
      const y = x + k;
      for (let r = 0; r < k; r++) {
        const jx = slopes[x + r];
        const jy = slopes[y + r];
        right[r] += jx * bx + jy * by;
        const hx = hxx * jx + hxy * jy;
        const hy = hxy * jx + hyy * jy;
        for (let s = 0; s <= r; s++) matrix[r * k + s] += hx * slopes[x + s] + hy * slopes[y + s];
      }
    }
    for (let r = 0; r < k; r++) for (let s = r + 1; s < k; s++) matrix[r * k + s] = matrix[s * k + r];
  }

  private invert(expected: Expectation, motion: Motion): Float64Array | undefined {
    const { k, free } = this;
    const a = this.matrix.slice();
    const b = this.right.slice();
    for (let r = 0; r < k; r++) {
      const weight = expected.deviation[free[r]] ** -2;
      a[r * k + r] += weight;
      b[r] += weight * (motion[free[r]] - expected.motion[free[r]]);
    }
    return solveCholesky(a, b, k) && b.every(Number.isFinite) ? b : undefined;
  }

  private shift(cell: number, step: Float64Array): [number, number] {
    let [x, y] = [0, 0];
    const at = cell * 2 * this.k;
    for (let p = 0; p < this.k; p++) {
      x += this.slopes[at + p] * step[p];
      y += this.slopes[at + this.k + p] * step[p];
    }
    return [x, y];
  }

  /** What a cell's own system leaves after a step. */
  private rest(cell: number, step: Float64Array): [number, number] {
    const { rows } = this;
    const i = cell * ROW;
    const [x, y] = this.shift(cell, step);
    return [rows[i + BX] - rows[i + HXX] * x - rows[i + HXY] * y, rows[i + BY] - rows[i + HXY] * x - rows[i + HYY] * y];
  }

  /** Distance between a cell's own answer and the common step, px of the level; along what its texture can tell. */
  private residual(cell: number, step: Float64Array): number {
    const { rows } = this;
    const i = cell * ROW;
    const [gx, gy] = this.rest(cell, step);
    // A share of the trace keeps the direction along an edge from counting.
    const damp = 0.05 * (rows[i + HXX] + rows[i + HYY]) + 1e-9;
    const [a, b, m] = [rows[i + HXX] + damp, rows[i + HYY] + damp, rows[i + HXY]];
    const det = a * b - m * m;
    return Math.hypot((b * gx - m * gy) / det, (a * gy - m * gx) / det);
  }

  /** Root mean square move of the cells under a step, px of the level. */
  moveOf(step: Float64Array): number {
    let [sum, n] = [0, 0];
    for (let c = 0; c < this.n; c++) {
      const w = this.rows[c * ROW + WEIGHT];
      const [x, y] = this.shift(c, step);
      sum += w * (x * x + y * y);
      n += w;
    }
    return n > 0 ? Math.sqrt(sum / n) : Infinity;
  }

  /** Robust scatter of the cells' errors, px of the level. */
  scatter(): number {
    const off: number[] = [];
    for (let i = 0; i < this.n * ROW; i += ROW) if (this.rows[i + PRIOR] > 0) off.push(this.rows[i + OFF]);
    return 1.4826 * median(off);
  }

  /** Weighted mean square of the cells' errors in units of their noise. */
  misfit(step: Float64Array): number {
    let [sum, n] = [0, 0];
    for (let c = 0; c < this.n; c++) {
      const i = c * ROW;
      const w = this.rows[i + WEIGHT];
      const [hxx, hxy, hyy] = [this.rows[i + HXX], this.rows[i + HXY], this.rows[i + HYY]];
      const det = hxx * hyy - hxy * hxy;
      if (w === 0 || !(det > 0)) continue;
      const [gx, gy] = this.rest(c, step);
      sum += (w * (hyy * gx * gx - 2 * hxy * gx * gy + hxx * gy * gy)) / det / this.rows[i + NOISE];
      n += 2 * w;
    }
    return n > this.k ? sum / (n - this.k) : 1;
  }

  /**
   * Covariance of the parameters from the cells alone; undefined where they do not determine them. Grain makes gradients
   * of its own in the known picture, which tell nothing of where a cell is: their share of each normal matrix is left out,
   * so that an edge does not count as a corner.
   */
  covariance(): Float64Array | undefined {
    const { k, rows } = this;
    for (let i = 0; i < this.n * ROW; i += ROW) {
      // Both pictures have grain, and a central difference has half the variance of a sample.
      const [xx, xy, yy] = lessened(
        rows[i + HXX],
        rows[i + HXY],
        rows[i + HYY],
        (rows[i + AREA] * rows[i + NOISE]) / 4,
      );
      rows[i + HXX] = xx;
      rows[i + HXY] = xy;
      rows[i + HYY] = yy;
    }
    this.build();
    const out = new Float64Array(k * k);
    for (let c = 0; c < k; c++) {
      const e = new Float64Array(k);
      e[c] = 1;
      if (!solveCholesky(this.matrix.slice(), e, k)) return undefined;
      for (let r = 0; r < k; r++) out[r * k + c] = e[r];
    }
    return out;
  }

  readings(): CellReading[] {
    return Array.from({ length: this.n }, (_, c) => {
      const at = (column: number): number => this.rows[c * ROW + column];
      return { x: at(X), y: at(Y), likeness: at(LIKENESS), weight: at(WEIGHT), area: at(AREA) };
    });
  }
}

/** A symmetric 2x2 matrix with its eigenvalues lowered, not below 0. */
function lessened(xx: number, xy: number, yy: number, by: number): [number, number, number] {
  const middle = (xx + yy) / 2;
  const spread = Math.hypot((xx - yy) / 2, xy);
  const [high, low] = [Math.max(0, middle + spread - by), Math.max(0, middle - spread - by)];
  const [m, s] = [(high + low) / 2, spread > 0 ? (high - low) / 2 / spread : 0];
  const d = (xx - yy) / 2;
  return [m + s * d, s * xy, m - s * d];
}

/** A poor match says little; before the first steps even a good cell may match poorly. */
function likenessWeight(likeness: number, strict: boolean): number {
  const [none, full] = strict ? [0.4, 0.8] : [0, 0.5];
  return Math.min(1, Math.max(0, (likeness - none) / (full - none)));
}
