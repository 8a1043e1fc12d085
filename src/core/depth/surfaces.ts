import { DICE_END, diceOf } from '../geometry/dice.ts';
import { solveCholesky } from '../geometry/linear.ts';

/** A surface as a plane of depths: depth = c[0] + c[1]·u + c[2]·v in local coordinates. */
export type Surface = Float64Array;

/** Change of depth per u and per v. */
export type Slope = readonly [number, number];

export const depthAt = (c: Surface, u: number, v: number): number => c[0] + c[1] * u + c[2] * v;

const TRIES = 240;
/** Surfaces that are found besides those known before. */
const MOST = 5;
/** Corners that a surface needs, and the share of all. */
const NEEDED = 5;
const NEEDED_SHARE = 0.06;
/**
 * Change of depth over the surroundings, in tolerances, that costs as much as one corner that does not agree. It counts from
 * the camera's plane, from what faces the camera or from a surface found before, whichever is nearest.
 */
const SLOPE = 8;
const REFITS = 4;

/**
 * Planes among scattered depths, one after the other, each from what the ones before do not explain (sequential MSAC,
 * Torr & Zisserman 2000).
 *
 * @param places - u, v per corner; @param depths - NaN where unknown; @param weights - how much each counts.
 * @param tolerance - Difference of depth that still agrees.
 * @param facing - Slope of what faces the camera, which is as likely as none.
 * @param before - Surfaces that are known already.
 * @returns These, then the strongest first; empty if nothing agrees.
 */
export function surfacesOf(
  places: Float64Array,
  depths: Float64Array,
  weights: Float64Array,
  tolerance: number,
  facing: Slope = [0, 0],
  before: readonly Surface[] = [],
): Surface[] {
  const off = (c: Surface, i: number): number => Math.abs(depths[i] - depthAt(c, places[2 * i], places[2 * i + 1]));
  // Corners between two surfaces belong to neither.
  const isFree = (c: Surface) => (i: number) => off(c, i) > 1.5 * tolerance;
  let left = [...depths.keys()].filter((i) => !Number.isNaN(depths[i]));
  const needed = Math.max(NEEDED, NEEDED_SHARE * left.length);
  const out = [...before];
  for (const known of before) left = left.filter(isFree(known));
  const dice = diceOf((left.length + 1) * 7919);
  while (out.length < before.length + MOST && left.length >= needed) {
    const found = bestPlane(
      left,
      { places, depths, weights, tolerance, slopes: [[0, 0], facing, ...out.map(slopeOf)] },
      dice,
    );
    if (!found) break;
    if (left.filter((i) => off(found, i) < tolerance).length < needed) break;
    out.push(found);
    left = left.filter(isFree(found));
  }
  return out;
}

const slopeOf = (c: Surface): Slope => [c[1], c[2]];

interface Scattered {
  places: Float64Array;
  depths: Float64Array;
  weights: Float64Array;
  tolerance: number;
  /** Slopes that cost nothing. */
  slopes: readonly Slope[];
}

function bestPlane(among: readonly number[], dots: Scattered, dice: () => number): Surface | undefined {
  const { places, depths, slopes } = dots;
  const one = <T>(of: ArrayLike<T>): T => of[Math.floor((dice() / DICE_END) * of.length)];
  let best: Surface | undefined;
  let least = Infinity;
  for (let k = 0; k < TRIES; k++) {
    const c =
      k % 3 === 0
        ? level(one(among), one(slopes), places, depths)
        : through([one(among), one(among), one(among)], places, depths);
    if (!c) continue;
    const p = priceOf(c, among, dots);
    if (p < least) [best, least] = [c, p];
  }
  for (let k = 0; best && k < REFITS; k++) {
    const refined = refit(among, dots, best);
    const p = priceOf(refined, among, dots);
    if (p > least) break;
    [best, least] = [refined, p];
  }
  return best;
}

function priceOf(
  c: Surface,
  among: readonly number[],
  { places, depths, weights, tolerance, slopes }: Scattered,
): number {
  const [u, v] = nearestSlope(c, slopes);
  let sum = ((c[1] - u) ** 2 + (c[2] - v) ** 2) / (SLOPE * tolerance) ** 2;
  for (const i of among) {
    const e = (depths[i] - depthAt(c, places[2 * i], places[2 * i + 1])) / tolerance;
    sum += weights[i] * Math.min(1, e * e);
  }
  return sum;
}

function nearestSlope(c: Surface, slopes: readonly Slope[]): Slope {
  const away = ([u, v]: Slope): number => (c[1] - u) ** 2 + (c[2] - v) ** 2;
  return slopes.reduce((best, slope) => (away(slope) < away(best) ? slope : best));
}

/** The surface of a slope through one corner. */
function level(i: number, [u, v]: Slope, places: Float64Array, depths: Float64Array): Surface {
  return Float64Array.of(depths[i] - u * places[2 * i] - v * places[2 * i + 1], u, v);
}

function through(three: number[], places: Float64Array, depths: Float64Array): Surface | undefined {
  const [a, b, c] = three;
  const [u1, v1] = [places[2 * b] - places[2 * a], places[2 * b + 1] - places[2 * a + 1]];
  const [u2, v2] = [places[2 * c] - places[2 * a], places[2 * c + 1] - places[2 * a + 1]];
  const area = u1 * v2 - u2 * v1;
  if (Math.abs(area) < 0.02) return undefined;
  const [d1, d2] = [depths[b] - depths[a], depths[c] - depths[a]];
  const p = (d1 * v2 - d2 * v1) / area;
  const q = (u1 * d2 - u2 * d1) / area;
  return Float64Array.of(depths[a] - p * places[2 * a] - q * places[2 * a + 1], p, q);
}

function refit(among: readonly number[], dots: Scattered, c: Surface): Surface {
  const { places, depths, weights, tolerance } = dots;
  const [u, v] = nearestSlope(c, dots.slopes);
  const a = new Float64Array(9);
  const b = new Float64Array(3);
  for (const i of among) {
    const f = [1, places[2 * i], places[2 * i + 1]];
    const e = (depths[i] - depthAt(c, f[1], f[2])) / tolerance;
    if (e * e > 1) continue;
    const w = weights[i] * (1 - e * e) ** 2;
    for (let r = 0; r < 3; r++) {
      b[r] += w * f[r] * (depths[i] - u * f[1] - v * f[2]);
      for (let k = 0; k <= r; k++) a[r * 3 + k] += w * f[r] * f[k];
    }
  }
  // Slopes stay near the given one where a surface's corners lie on a line.
  a[0] += 1e-9;
  a[4] += 1 / SLOPE ** 2;
  a[8] += 1 / SLOPE ** 2;
  return solveCholesky(a, b, 3) ? Float64Array.of(b[0], b[1] + u, b[2] + v) : c;
}
