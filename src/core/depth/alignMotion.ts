import { solveCholesky } from '../geometry/linear.ts';
import { floatsOf } from '../image/mapped.ts';
import { gemanMcClure } from '../motion/fitMotion.ts';
import { sampled, tileWindows, WINDOW, type TileWindow, type Witnesses } from './tileWindows.ts';
import { shiftAt, type AffineShift, type FreeMotion } from './freeMotion.ts';

/** Where the frame's places lie, interleaved x, y. */
export interface Placing {
  /** Brings places to where a source shows them on the camera's plane, frame px. */
  onPlane: (source: number, points: Float32Array) => void;
  /** Local coordinates of places, in which motions are given. */
  local: (points: Float32Array) => Float64Array;
}

const ITERATIONS = 8;
/** Difference, in 8-bit levels, of which the squares no longer count whole. */
const SIGMA = 6;
/** Samples of a window that two views must share. */
const LEAST_SHARED = WINDOW / 2;
/** Samples that a source must share with those before it. */
const NEEDED = 150;
/** The movement is no longer believed if it leads farther away than this, frame px per px of the analysis image. */
const FARTHEST = 2;
/** Steps shorter than this are not worth another one, the same. */
const ENOUGH = 0.01;

/**
 * Brings a motion to where the frames that show what lies on it agree best, each frame by itself: corners stand around a hole,
 * this looks into it. Frames near in time are believed first, and the next one is led to the mean of those before (Gauss-Newton on
 * the differences, Lucas & Kanade 1981, with an affine map; the light of each window taken off).
 *
 * @param tiles - That lie on the surface.
 */
export function alignMotion(
  seen: Witnesses,
  motion: FreeMotion,
  tiles: readonly TileWindow[],
  { onPlane, local }: Placing,
): FreeMotion {
  const { frame } = seen;
  const places = tileWindows(seen.kernels, told(seen, motion, tiles, { onPlane, local }), seen.tileSide);
  const at = local(places);
  const mean = new MeanOfViews(sampled(seen, frame, places));
  const out = new Map(motion);
  const outwards = [...motion.keys()].sort((a, b) => Math.abs(a - frame) - Math.abs(b - frame) || a - b);
  for (const source of outwards) {
    const there = places.slice();
    onPlane(source, there);
    const viewOf: ViewOf = (shift, dx, dy) => sampled(seen, source, moved(there, at, shift, dx, dy));
    const shift = alignView(mean, motion.get(source)!, at, viewOf, seen);
    out.set(source, shift);
    mean.add(viewOf(shift, 0, 0));
  }
  return out;
}

/** The tiles of which two frames show enough to be compared: the others tell nothing, and may be nearly all. */
function told(
  seen: Witnesses,
  motion: FreeMotion,
  tiles: readonly TileWindow[],
  { onPlane, local }: Placing,
): TileWindow[] {
  const places = tileWindows(seen.kernels, tiles, seen.tileSide);
  const at = local(places);
  const views = new Uint16Array(tiles.length);
  const count = (view: Float32Array): void => views.forEach((_, t) => (views[t] += shows(view, t * WINDOW) ? 1 : 0));
  count(sampled(seen, seen.frame, places));
  for (const [source, shift] of motion) {
    const there = places.slice();
    onPlane(source, there);
    count(sampled(seen, source, moved(there, at, shift, 0, 0)));
  }
  return tiles.filter((_, t) => views[t] > 1);
}

/** Whether enough of a window is seen to tell its light. */
function shows(view: Float32Array, first: number): boolean {
  let n = 0;
  for (let k = first; k < first + WINDOW; k++) if (!Number.isNaN(view[k])) n++;
  return n >= LEAST_SHARED;
}

function moved(places: Float32Array, at: Float64Array, shift: AffineShift, dx: number, dy: number): Float32Array {
  const out = new Float32Array(places.length);
  for (let i = 0; i < places.length; i += 2) {
    const [x, y] = shiftAt(shift, at[i], at[i + 1]);
    out[i] = places[i] + x + dx;
    out[i + 1] = places[i + 1] + y + dy;
  }
  return out;
}

type ViewOf = (shift: AffineShift, dx: number, dy: number) => Float32Array;

/** The motion, near the given one, under which a view differs least from the mean of others. */
function alignView(
  mean: MeanOfViews,
  start: AffineShift,
  at: Float64Array,
  viewOf: ViewOf,
  { unit, pyramids: { scale } }: Witnesses,
): AffineShift {
  const half = scale / 2;
  // A source's slopes hardly change over the little way that it is led.
  const slopes = {
    x: slopesOf(viewOf(start, half, 0), viewOf(start, -half, 0), scale),
    y: slopesOf(viewOf(start, 0, half), viewOf(start, 0, -half), scale),
  };
  let [best, least] = [start, Infinity];
  let now = start;
  for (let k = 0; k < ITERATIONS; k++) {
    const step = gaussNewton(mean, viewOf(now, 0, 0), slopes, at, SIGMA * unit);
    if (!step || step.price >= least) break;
    [best, least] = [now, step.price];
    now = now.map((v, i) => v + step.by[i]);
    if (distance(now, start) > FARTHEST * scale || distance(now, best) < ENOUGH * scale) break;
  }
  return best;
}

/** Largest movement, at the middle and the sides of the surroundings. */
function distance(a: AffineShift, b: AffineShift): number {
  const d = a.map((v, i) => v - b[i]);
  return Math.hypot(
    Math.abs(d[0]) + Math.abs(d[1]) / 2 + Math.abs(d[2]) / 2,
    Math.abs(d[3]) + Math.abs(d[4]) / 2 + Math.abs(d[5]) / 2,
  );
}

function gaussNewton(
  mean: MeanOfViews,
  view: Float32Array,
  { x: gx, y: gy }: { x: Float32Array; y: Float32Array },
  at: Float64Array,
  sigma: number,
): { by: AffineShift; price: number } | undefined {
  const a = new Float64Array(36);
  const b = new Float64Array(6);
  let [price, n] = [0, 0];
  const f = new Float64Array(6);
  for (let first = 0; first < view.length; first += WINDOW) {
    const off = mean.differences(view, first);
    if (!off) continue;
    for (let k = 0; k < WINDOW; k++) {
      const i = first + k;
      if (Number.isNaN(off[k] + gx[i] + gy[i])) continue;
      const w = gemanMcClure(off[k] ** 2, sigma * sigma);
      price += (off[k] * off[k]) / (sigma * sigma + off[k] * off[k]);
      n++;
      const u = at[2 * i];
      const v = at[2 * i + 1];
      f[0] = gx[i];
      f[1] = gx[i] * u;
      f[2] = gx[i] * v;
      f[3] = gy[i];
      f[4] = gy[i] * u;
      f[5] = gy[i] * v;
      for (let r = 0; r < 6; r++) {
        b[r] += w * f[r] * off[k];
        for (let c = 0; c <= r; c++) a[6 * r + c] += w * f[r] * f[c];
      }
    }
  }
  if (n < NEEDED) return undefined;
  const ridge = 1e-3 * (a[0] + a[21]) + 1e-6;
  for (let r = 0; r < 6; r++) a[7 * r] += ridge;
  return solveCholesky(a, b, 6) ? { by: b, price: price / n } : undefined;
}

const slopesOf = (after: Float32Array, before: Float32Array, apart: number): Float32Array =>
  floatsOf(after, (v, i) => (v - before[i]) / apart);

/** The mean of the views that were added, each window of them in the light of those before. */
class MeanOfViews {
  private readonly sum: Float32Array;
  private readonly count: Uint16Array;

  constructor(first: Float32Array) {
    this.sum = new Float32Array(first.length);
    this.count = new Uint16Array(first.length);
    this.add(first);
  }

  /** The mean minus a view in one window, the light taken off; undefined if they share too little of it. */
  differences(view: Float32Array, first: number): Float32Array | undefined {
    const light = this.lightOf(view, first);
    if (light === undefined) return undefined;
    return floatsOf(view.subarray(first, first + WINDOW), (v, k) => this.meanAt(first + k) - v - light);
  }

  add(view: Float32Array): void {
    for (let first = 0; first < view.length; first += WINDOW) {
      const light = this.lightOf(view, first) ?? 0;
      for (let k = first; k < first + WINDOW; k++) {
        if (Number.isNaN(view[k])) continue;
        this.sum[k] += view[k] + light;
        this.count[k]++;
      }
    }
  }

  private meanAt(k: number): number {
    return this.count[k] > 0 ? this.sum[k] / this.count[k] : NaN;
  }

  /** By how much the mean is lighter than a view of a window. */
  private lightOf(view: Float32Array, first: number): number | undefined {
    let [sum, n] = [0, 0];
    for (let k = first; k < first + WINDOW; k++) {
      const d = this.meanAt(k) - view[k];
      if (Number.isNaN(d)) continue;
      sum += d;
      n++;
    }
    return n < LEAST_SHARED ? undefined : sum / n;
  }
}
