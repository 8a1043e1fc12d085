import { diceOf } from '../geometry/dice.ts';
import { addEquation, solveCholesky } from '../geometry/linear.ts';
import { gemanMcClure } from '../motion/fitMotion.ts';
import { correctionAt, EPIPOLE, type Epipole, type View } from './epipole.ts';

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
/** Weight of "no correction" and of "no epipole", as a share of the corners'. */
const HOLD = 1e-4;

/** A view as if the camera's motion were right there. */
export function levelled(view: View, e: Epipole): View {
  const { places, scale } = view;
  const [guess, moved] = [view.guess.slice(), view.moved.slice()];
  for (let i = 0; i < guess.length; i += 2) {
    const [dx, dy] = correctionAt(e, places[i], places[i + 1]);
    guess[i] += dx;
    guess[i + 1] += dy;
    moved[i] -= dx;
    moved[i + 1] -= dy;
  }
  return { places, guess, scale, moved };
}

/** How many corners lie where their depths put them, those that do exactly counting more. */
function explained(view: View, e: Epipole, depths: Float64Array, among: readonly number[], px: number): number {
  let sum = 0;
  for (const i of among) {
    const [ex, ey] = offBy(view, e, depths, i);
    sum += Math.max(0, 1 - (ex * ex + ey * ey) / (AIM * px) ** 2);
  }
  return sum;
}

/** How far a corner was found from where its depth puts it. */
function offBy({ places, guess, scale, moved }: View, e: Epipole, depths: Float64Array, i: number): [number, number] {
  const [x, y] = [2 * i, 2 * i + 1];
  const [dx, dy] = correctionAt(e, places[x], places[y]);
  const k = depths[i] / scale[i];
  return [
    moved[x] - dx - k * (e[0] - e[2] * (guess[x] + moved[x])),
    moved[y] - dy - k * (e[1] - e[2] * (guess[y] + moved[y])),
  ];
}

/**
 * Epipole and correction of a source whose corners' depths are known, from samples of corners (MSAC, Torr & Zisserman 2000).
 *
 * @param plain - An epipole without a correction, if one is known: it is kept where a correction explains hardly more.
 * @returns undefined if nothing is explained.
 */
export function sampleCorrected(
  view: View,
  depths: Float64Array,
  plain: Epipole | undefined,
  px: number,
): Epipole | undefined {
  const known = [...depths.keys()].filter((i) => !Number.isNaN(view.moved[2 * i] + depths[i]));
  if (known.length < 2 * SAMPLE) return plain;
  const before = plain ? explained(view, plain, depths, known, px) : 0;
  let best = plain;
  let most = before + Math.max(WORTH, WORTH_SHARE * before);
  const dice = diceOf(known.length + 1);
  for (let k = 0; k < SAMPLES; k++) {
    const some = Array.from({ length: SAMPLE }, () => known[dice() % known.length]);
    const found = solve(view, depths, some, () => 1);
    const gain = found ? explained(view, found, depths, known, px) : 0;
    if (gain > most) [best, most] = [found, gain];
  }
  return best;
}

/** Epipole and correction again, each corner counting as it fits to those before. */
export function fitCorrected(view: View, depths: Float64Array, before: Epipole, sigma: number): Epipole {
  const known = [...depths.keys()].filter((i) => !Number.isNaN(view.moved[2 * i] + depths[i]));
  const weight = (i: number): number => {
    const [ex, ey] = offBy(view, before, depths, i);
    return gemanMcClure(ex * ex + ey * ey, sigma * sigma);
  };
  return solve(view, depths, known, weight) ?? before;
}

function solve(
  { places, guess, scale, moved }: View,
  depths: Float64Array,
  among: readonly number[],
  weight: (i: number) => number,
): Epipole | undefined {
  const n = EPIPOLE;
  const a = new Float64Array(n * n);
  const b = new Float64Array(n);
  let all = 0;
  for (const i of among) {
    const [mx, my] = [moved[2 * i], moved[2 * i + 1]];
    const [u, v] = [places[2 * i], places[2 * i + 1]];
    const k = depths[i] / scale[i];
    const w = weight(i);
    all += w;
    addEquation(a, b, [k, 0, -k * (guess[2 * i] + mx), 1, u, v, 0, 0, 0, u * u, u * v], mx, w);
    addEquation(a, b, [0, k, -k * (guess[2 * i + 1] + my), 0, 0, 0, 1, u, v, u * v, v * v], my, w);
  }
  for (let r = 3; r < n; r++) a[r * (n + 1)] += HOLD * all;
  for (let r = 0; r < 3; r++) a[r * (n + 1)] += 1e-9;
  return solveCholesky(a, b, n) ? b : undefined;
}
