import { diceOf } from '../geometry/dice.ts';
import { addEquation, norm2, solveCholesky } from '../geometry/linear.ts';
import { gemanMcClure } from '../motion/fitMotion.ts';
import { EPIPOLE, parallaxOf, perDepth, putRight, type Epipole, type View } from './epipole.ts';

/**
 * Where nothing fills most of the picture, the camera's motion lies between what is near and what is far, and is that of no plane: what
 * is off it does not move towards one point. Depths that are known put it right: with them, epipole and correction (a small homography)
 * of a source are linear in what its corners show.
 */

/** How exactly a corner lies where its depth puts it, analysis px. */
const AIM = 1;
const SAMPLES = 200;
/** Corners in a sample: two equations each, for eleven unknowns. */
const SAMPLE = 6;
/** Corners that a correction must explain more than none does, and their share of those that are explained. */
const WORTH = 4;
const WORTH_SHARE = 0.15;
/** Nothing else is looked for where so much is explained. */
const ENOUGH = 0.8;
/** Weight of "no correction" and of "no epipole", as a share of the corners'. */
const HOLD = 1e-4;

/** A view as if the camera's motion were right there. */
export function levelled(view: View, e: Epipole): View {
  const { places } = view;
  const [guess, scale, moved] = [view.guess.slice(), view.scale.slice(), view.moved.slice()];
  for (let i = 0; i < guess.length; i += 2) {
    const [x, y, w] = putRight(e, places[i], places[i + 1], guess[i], guess[i + 1], scale[i >> 1]);
    moved[i] += guess[i] - x;
    moved[i + 1] += guess[i + 1] - y;
    guess.set([x, y], i);
    scale[i >> 1] = w;
  }
  return { places, guess, scale, moved };
}

/** Depths of corners, and how exactly they are known. */
export interface KnownDepths {
  /** NaN where unknown. */
  depths: Float64Array;
  /**
   * Per corner the sum of squares of how far a depth of 1 moves it in the sources by which its depth is known; without it depths count as exact.
   * The less it moves there and the more here, the less its place along the parallax says about this source.
   */
  told?: Float64Array;
}

const knownIn = (view: View, depths: Float64Array): number[] =>
  [...depths.keys()].filter((i) => !Number.isNaN(view.moved[2 * i] + depths[i]));

/** How many corners lie where their depths put them, those that do exactly counting more. */
function explained(view: View, e: Epipole, deep: KnownDepths, among: readonly number[], px: number): number {
  let sum = 0;
  for (const i of among) {
    const [along, across] = offBy(view, e, deep, i);
    sum += Math.max(0, 1 - (along * along + across * across) / (AIM * px) ** 2);
  }
  return sum;
}

/** Direction of the parallax of a corner at the place at which it was found, and how much less its place counts along it. */
function directionOf(view: View, e: Epipole, told: Float64Array, i: number): [number, number, number] {
  const [gx, gy] = perDepth(view, e, i);
  const long = norm2(gx, gy);
  if (long < 1e-12) return [1, 0, 1];
  return [gx / long, gy / long, 1 / Math.sqrt(1 + (long * long) / told[i])];
}

/** How far a corner was found from where its depth puts it: along and across the parallax, if that is weighed. */
function offBy(view: View, e: Epipole, { depths, told }: KnownDepths, i: number): [number, number] {
  const { places, guess, scale, moved } = view;
  const [x, y] = [2 * i, 2 * i + 1];
  const [gx, gy, w] = putRight(e, places[x], places[y], guess[x], guess[y], scale[i]);
  const [dx, dy] = parallaxOf(e, gx, gy, w, depths[i]);
  const [ex, ey] = [guess[x] + moved[x] - gx - dx, guess[y] + moved[y] - gy - dy];
  if (!told) return [ex, ey];
  const [u, v, less] = directionOf(view, e, told, i);
  return [less * (u * ex + v * ey), u * ey - v * ex];
}

/** How far each corner that is known was found from where its depth may put it. */
export const errorsBy = (view: View, e: Epipole, deep: KnownDepths): number[] =>
  knownIn(view, deep.depths).map((i) => norm2(...offBy(view, e, deep, i)));

/**
 * Epipole and correction of a source whose corners' depths are known, from samples of corners (MSAC, Torr & Zisserman 2000).
 *
 * @param plain - An epipole without a correction, if one is known: it is kept where a correction explains hardly more.
 * @returns undefined if nothing is explained.
 */
export function sampleCorrected(
  view: View,
  deep: KnownDepths,
  plain: Epipole | undefined,
  px: number,
): Epipole | undefined {
  const known = knownIn(view, deep.depths);
  if (known.length < 2 * SAMPLE) return plain;
  const before = plain ? explained(view, plain, deep, known, px) : 0;
  if (before > ENOUGH * known.length) return plain;
  let best = plain;
  let most = before + Math.max(WORTH, WORTH_SHARE * before);
  const dice = diceOf(known.length + 1);
  for (let k = 0; k < SAMPLES; k++) {
    const some = Array.from({ length: SAMPLE }, () => known[dice() % known.length]);
    const found = solve(view, deep, some, () => 1);
    const gain = found ? explained(view, found, deep, known, px) : 0;
    if (gain > most) [best, most] = [found, gain];
  }
  return best;
}

/** Epipole and correction again, each corner counting as it fits to those before. */
export function fitCorrected(view: View, deep: KnownDepths, before: Epipole, sigma: number): Epipole {
  const weight = (i: number): number => {
    const [along, across] = offBy(view, before, deep, i);
    return gemanMcClure(along * along + across * across, sigma * sigma);
  };
  return solve(view, deep, knownIn(view, deep.depths), weight, before) ?? before;
}

/** @param before - Tells how corners move with depth; without it depths count as exact. */
function solve(
  view: View,
  { depths, told }: KnownDepths,
  among: readonly number[],
  weight: (i: number) => number,
  before?: Epipole,
): Epipole | undefined {
  const { places, guess, scale, moved } = view;
  const n = EPIPOLE;
  const a = new Float64Array(n * n);
  const b = new Float64Array(n);
  let all = 0;
  for (const i of among) {
    const [mx, my] = [moved[2 * i], moved[2 * i + 1]];
    const [u, v] = [places[2 * i], places[2 * i + 1]];
    const q = 1 / scale[i];
    const k = depths[i] * q;
    const [x, y] = [q * (guess[2 * i] + mx), q * (guess[2 * i + 1] + my)];
    const w = weight(i);
    all += w;
    const right = [k, 0, -depths[i] * x, q, q * u, q * v, 0, 0, 0, -x * u, -x * v];
    const down = [0, k, -depths[i] * y, 0, 0, 0, q, q * u, q * v, -y * u, -y * v];
    if (told && before) {
      const [c, s, less] = directionOf(view, before, told, i);
      turn(right, down, c, s);
      addEquation(a, b, right, c * mx + s * my, w * less * less);
      addEquation(a, b, down, c * my - s * mx, w);
    } else {
      addEquation(a, b, right, mx, w);
      addEquation(a, b, down, my, w);
    }
  }
  for (let r = 3; r < n; r++) {
    a[r * (n + 1)] += HOLD * all;
    if (told && before) b[r] += HOLD * all * before[r];
  }
  for (let r = 0; r < 3; r++) a[r * (n + 1)] += 1e-9;
  return solveCholesky(a, b, n) ? b : undefined;
}

/** Two equations, of what lies to the right and down, as those along and across a direction. */
function turn(right: number[], down: number[], c: number, s: number): void {
  for (let j = 0; j < right.length; j++) {
    const [x, y] = [right[j], down[j]];
    right[j] = c * x + s * y;
    down[j] = c * y - s * x;
  }
}
