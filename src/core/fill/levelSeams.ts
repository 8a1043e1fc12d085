import { conjugateGradients } from '../geometry/linear.ts';
import type { Incomplete } from './patches.ts';

/** Jumps from so many levels on are no matter of light: they stay as they are, and do not bleed. Colour counts twice. */
const MOST_JUMP = 20;
const CHROMA_TIMES = 2;
/** What an edge counts at least, so that all is bound to something. */
const LEAST_WEIGHT = 1e-6;
const ITERATIONS = 300;
const TOLERANCE = 1e-3;

/** Pairs of neighbours of which one is missing at least, and by how much more they are to differ than they do. */
interface Jumps {
  missing: number[];
  /** Numbers of both ends among the missing pixels; −1 = known, and stays. */
  from: number[];
  to: number[];
  /** Three levels per pair, and a weight. */
  levels: number[];
  weights: number[];
}

/**
 * Evens out the seams of a picture that was put together from parts of itself: within a part differences stay, between parts,
 * and to what is known, they become what they are in the parts (Pérez, Gangnet & Blake 2003, "Poisson image editing"; for
 * several parts as in He & Sun 2014).
 *
 * @param colour - The completed picture, 8-bit levels; changed where pixels were missing.
 * @param from - Of each missing pixel the index of the known one that it was taken from; −1 if of none alone.
 */
export function levelSeams(picture: Incomplete, colour: Float32Array, from: Int32Array): void {
  const jumps = jumpsOf(picture, colour, from);
  for (let plane = 0; plane < 3; plane++) {
    const change = changeOf(jumps, plane);
    jumps.missing.forEach((pixel, n) => {
      colour[4 * pixel + plane] = Math.min(255, Math.max(0, colour[4 * pixel + plane] + change[n]));
    });
  }
}

function jumpsOf(
  { width: w, height: h, missing, colour: known }: Incomplete,
  colour: Float32Array,
  from: Int32Array,
): Jumps {
  const numbers = new Int32Array(w * h).fill(-1);
  const out: Jumps = { missing: [], from: [], to: [], levels: [], weights: [] };
  for (let i = 0; i < missing.length; i++) if (missing[i] === 1 && from[i] >= 0) numbers[i] = out.missing.push(i) - 1;
  // By how much two pixels differ in the part that one of them is taken from; undefined where it does not reach so far.
  const inPart = (of: number, p: number, q: number, plane: number): number | undefined => {
    const [a, b] = [from[of] + p - of, from[of] + q - of];
    return numbers[of] < 0 || missing[a] === 1 || missing[b] === 1
      ? undefined
      : known[4 * a + plane] - known[4 * b + plane];
  };
  const add = (p: number, q: number): void => {
    const open = (i: number): boolean => missing[i] === 1 && numbers[i] < 0;
    if ((numbers[p] < 0 && numbers[q] < 0) || open(p) || open(q)) return;
    const levels = [0, 1, 2].map((plane) => {
      const is = colour[4 * p + plane] - colour[4 * q + plane];
      const [first, second] = [inPart(p, p, q, plane), inPart(q, p, q, plane)];
      return ((first ?? second ?? is) + (second ?? first ?? is)) / 2 - is;
    });
    const jump = Math.max(Math.abs(levels[0]), CHROMA_TIMES * Math.abs(levels[1]), CHROMA_TIMES * Math.abs(levels[2]));
    out.from.push(numbers[p]);
    out.to.push(numbers[q]);
    out.levels.push(...levels);
    // Tukey's biweight.
    out.weights.push(Math.max(LEAST_WEIGHT, jump < MOST_JUMP ? (1 - (jump / MOST_JUMP) ** 2) ** 2 : 0));
  };
  for (let y = 0, i = 0; y < h; y++) {
    for (let x = 0; x < w; x++, i++) {
      if (x + 1 < w) add(i, i + 1);
      if (y + 1 < h) add(i, i + w);
    }
  }
  return out;
}

/** By how much each missing pixel of a plane is changed: least squares over all pairs. */
function changeOf({ missing, from, to, levels, weights }: Jumps, plane: number): Float64Array {
  const n = missing.length;
  // Next to nothing, for what is bound to nothing known.
  const diagonal = new Float64Array(n).fill(LEAST_WEIGHT);
  const pulls = new Float64Array(n);
  const inner: number[] = [];
  for (let e = 0; e < from.length; e++) {
    const [a, b, pull] = [from[e], to[e], weights[e] * levels[3 * e + plane]];
    if (a >= 0) {
      diagonal[a] += weights[e];
      pulls[a] += pull;
    }
    if (b >= 0) {
      diagonal[b] += weights[e];
      pulls[b] -= pull;
    }
    if (a >= 0 && b >= 0) inner.push(e);
  }
  // Hundreds of thousands of pairs are gone through hundreds of times.
  const [firsts, seconds] = [Int32Array.from(inner, (e) => from[e]), Int32Array.from(inner, (e) => to[e])];
  const bonds = Float64Array.from(inner, (e) => weights[e]);
  const apply = (v: Float64Array, out: Float64Array): void => {
    for (let i = 0; i < n; i++) out[i] = diagonal[i] * v[i];
    for (let k = 0; k < bonds.length; k++) {
      const a = firsts[k];
      const b = seconds[k];
      out[a] -= bonds[k] * v[b];
      out[b] -= bonds[k] * v[a];
    }
  };
  const precondition = (v: Float64Array, out: Float64Array): void => {
    for (let i = 0; i < n; i++) out[i] = v[i] / diagonal[i];
  };
  return conjugateGradients(apply, precondition, pulls, ITERATIONS, TOLERANCE);
}
