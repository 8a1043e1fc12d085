import { solveBanded } from '../geometry/linear.ts';

/** One number per corner and axis at a frame, and how far it is to be believed (0..1); `fixed` ones never change. */
export interface SmoothRow {
  values: readonly number[];
  trust: number;
  fixed?: boolean;
}

/** How much smoothness counts against staying at what was measured: evens out what lasts less than about ten frames. */
const STRENGTH = 40;
/** Weight of what must not move, and least weight of what was measured at all. */
const FIXED = 1e7;
const LEAST = 1e-3;

/**
 * Smooths numbers over neighbouring frames: the less a frame is to be believed, the more it gives way to those around it; frames
 * without values are drawn in. Penalised least squares on second differences (Whittaker 1923; Eilers 2003).
 *
 * @param rows - One entry per frame, without gaps in the frames; at least two have values, all as many.
 * @returns Values of every frame.
 */
export function smoothRows(rows: readonly (SmoothRow | undefined)[]): number[][] {
  const n = rows.length;
  const width = rows.find((r) => r)!.values.length;
  const out: number[][] = rows.map(() => []);
  const weights = rows.map((r) => (!r ? 0 : r.fixed ? FIXED : Math.max(LEAST, r.trust ** 2)));
  for (let k = 0; k < width; k++) {
    // Row by row: the diagonal and the two below it.
    const band = new Float64Array(3 * n);
    const right = Float64Array.from(rows, (r, i) => (r ? weights[i] * r.values[k] : 0));
    for (let i = 0; i < n; i++) band[3 * i] = weights[i];
    for (let i = 0; i + 2 < n; i++) addSecondDifference(band, i);
    solveBanded(band, right, n, 2);
    for (let i = 0; i < n; i++) out[i][k] = right[i];
  }
  return out;
}

function addSecondDifference(band: Float64Array, i: number): void {
  const d = [1, -2, 1];
  for (let a = 0; a < 3; a++) for (let b = 0; b <= a; b++) band[3 * (i + a) + (a - b)] += STRENGTH * d[a] * d[b];
}
