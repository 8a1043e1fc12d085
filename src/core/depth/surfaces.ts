import { DICE_END, diceOf } from '../geometry/dice.ts';
import { solveCholesky } from '../geometry/linear.ts';

/** A surface as a plane of depths: depth = c[0] + c[1]·u + c[2]·v in local coordinates. */
export type Surface = Float64Array;

export const depthAt = (c: Surface, u: number, v: number): number => c[0] + c[1] * u + c[2] * v;

const TRIES = 160;
const MOST = 4;
/** Corners that a surface needs, and the share of all. */
const NEEDED = 5;
const NEEDED_SHARE = 0.06;
/** Change of depth over the surroundings, in tolerances, that costs as much as one corner that does not agree. */
const SLOPE = 8;
const REFITS = 4;

/**
 * Planes among scattered depths, one after the other, each from what the ones before do not explain (sequential MSAC,
 * Torr & Zisserman 2000).
 *
 * @param places - u, v per corner; @param depths - NaN where unknown; @param weights - how much each counts.
 * @param tolerance - Difference of depth that still agrees.
 * @returns The strongest first; empty if nothing agrees.
 */
export function surfacesOf(
  places: Float64Array,
  depths: Float64Array,
  weights: Float64Array,
  tolerance: number,
): Surface[] {
  let left = [...depths.keys()].filter((i) => !Number.isNaN(depths[i]));
  const needed = Math.max(NEEDED, NEEDED_SHARE * left.length);
  const out: Surface[] = [];
  const dice = diceOf((left.length + 1) * 7919);
  while (out.length < MOST && left.length >= needed) {
    const found = bestPlane(left, places, depths, weights, tolerance, dice);
    if (!found) break;
    const off = (i: number): number => Math.abs(depths[i] - depthAt(found, places[2 * i], places[2 * i + 1]));
    if (left.filter((i) => off(i) < tolerance).length < needed) break;
    out.push(found);
    // Corners between two surfaces belong to neither.
    left = left.filter((i) => off(i) > 1.5 * tolerance);
  }
  return out;
}

function bestPlane(
  among: readonly number[],
  places: Float64Array,
  depths: Float64Array,
  weights: Float64Array,
  tolerance: number,
  dice: () => number,
): Surface | undefined {
  let best: Surface | undefined;
  let least = Infinity;
  const price = (c: Surface): number => {
    let sum = (c[1] ** 2 + c[2] ** 2) / (SLOPE * tolerance) ** 2;
    for (const i of among) {
      const e = (depths[i] - depthAt(c, places[2 * i], places[2 * i + 1])) / tolerance;
      sum += weights[i] * Math.min(1, e * e);
    }
    return sum;
  };
  for (let k = 0; k < TRIES; k++) {
    const pick = (): number => among[Math.floor((dice() / DICE_END) * among.length)];
    const c = k % 3 === 0 ? Float64Array.of(depths[pick()], 0, 0) : through([pick(), pick(), pick()], places, depths);
    if (!c) continue;
    const p = price(c);
    if (p < least) [best, least] = [c, p];
  }
  for (let k = 0; best && k < REFITS; k++) {
    const refined = refit(among, places, depths, weights, tolerance, best);
    const p = price(refined);
    if (p > least) break;
    [best, least] = [refined, p];
  }
  return best;
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

function refit(
  among: readonly number[],
  places: Float64Array,
  depths: Float64Array,
  weights: Float64Array,
  tolerance: number,
  c: Surface,
): Surface {
  const a = new Float64Array(9);
  const b = new Float64Array(3);
  for (const i of among) {
    const f = [1, places[2 * i], places[2 * i + 1]];
    const e = (depths[i] - depthAt(c, f[1], f[2])) / tolerance;
    if (e * e > 1) continue;
    const w = weights[i] * (1 - e * e) ** 2;
    for (let r = 0; r < 3; r++) {
      b[r] += w * f[r] * depths[i];
      for (let k = 0; k <= r; k++) a[r * 3 + k] += w * f[r] * f[k];
    }
  }
  // Slopes stay small where a surface's corners lie on a line.
  a[0] += 1e-9;
  a[4] += 1 / SLOPE ** 2;
  a[8] += 1 / SLOPE ** 2;
  return solveCholesky(a, b, 3) ? b : c;
}
