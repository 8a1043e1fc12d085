import { diceOf } from '../geometry/dice.ts';
import { median, norm2 } from '../geometry/linear.ts';
import { epipoleOn, type Epipole, type View } from './epipole.ts';

/** Movements shorter than this say nothing about a direction, and how exactly one points, analysis px. */
const LEAST_MOVED = 1;
const AIM = 0.5;
/** A direction is not told the better by movements longer than this, analysis px: they are as often wrong. */
const AIMED = 3;
const SAMPLES = 240;
/** Corners that are beside each other, analysis px. */
const BESIDE = 24;
/** Corners that must agree about an epipole, and their share of those that moved. */
const NEEDED = 8;
const NEEDED_SHARE = 0.25;

/** The epipole, of length 1, that most of the movements point to or away from. */
export function sampleEpipole({ guess, moved }: View, px: number): Epipole | undefined {
  const far: number[] = [];
  for (let i = 0; i < moved.length; i += 2) if (norm2(moved[i], moved[i + 1]) > LEAST_MOVED * px) far.push(i);
  if (far.length < NEEDED) return undefined;
  let best: Epipole | undefined;
  let least = Infinity;
  const dice = diceOf(far.length);
  const pick = (): number => far[dice() % far.length];
  for (let k = 0; k < SAMPLES; k++) {
    const e = crossing(lineOf(guess, moved, pick()), lineOf(guess, moved, pick()));
    if (!e) continue;
    let price = 0;
    for (const i of far) price += Math.min(1, (offLine(e, guess, moved, i) / (AIM * px)) ** 2);
    if (price < least) [best, least] = [e, price];
  }
  const agree = best ? far.filter((i) => offLine(best, guess, moved, i) < AIM * px).length : 0;
  return agree >= Math.max(NEEDED, NEEDED_SHARE * far.length) ? best : undefined;
}

/**
 * How corners move other than those beside them, as a view of what is between: that points to the epipole too, however far the camera's
 * motion is off (Rieger & Lawton 1985).
 */
export function differences({ places, guess, scale, moved }: View, px: number): View {
  const out = { places, guess, scale, moved: new Float64Array(moved.length).fill(NaN) };
  for (let i = 0; i < moved.length; i += 2) {
    let most = LEAST_MOVED * px;
    for (let j = 0; j < moved.length; j += 2) {
      if (norm2(places[i] - places[j], places[i + 1] - places[j + 1]) > BESIDE * px) continue;
      const [dx, dy] = [moved[i] - moved[j], moved[i + 1] - moved[j + 1]];
      const long = norm2(dx, dy);
      if (!(long > most)) continue;
      most = long;
      [out.moved[i], out.moved[i + 1]] = [dx, dy];
    }
  }
  return out;
}

/** The line that a movement lies on, homogeneous. */
const lineOf = (guess: Float64Array, moved: Float64Array, i: number): [number, number, number] => [
  -moved[i + 1],
  moved[i],
  guess[i] * moved[i + 1] - guess[i + 1] * moved[i],
];

function crossing(a: [number, number, number], b: [number, number, number]): Epipole | undefined {
  const e = Float64Array.of(a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]);
  const length = Math.sqrt(e[0] ** 2 + e[1] ** 2 + e[2] ** 2);
  return length > 1e-12 ? epipoleOn(e[0] / length, e[1] / length, e[2] / length) : undefined;
}

/** Distance of a found corner from the line through its guess and the epipole. */
function offLine(e: Epipole, guess: Float64Array, moved: Float64Array, i: number): number {
  const [gx, gy] = [e[0] - e[2] * guess[i], e[1] - e[2] * guess[i + 1]];
  return Math.abs(moved[i] * gy - moved[i + 1] * gx) / Math.max(1e-9, norm2(gx, gy));
}

/** The sources with an epipole, first those in which most corners agree, weighed by how far they moved. */
export function strongest(views: readonly View[], epipoles: readonly (Epipole | undefined)[], px: number): number[] {
  const agreed = epipoles.map((e, k) => {
    const { guess, moved } = views[k];
    let sum = 0;
    for (let i = 0; e && i < moved.length; i += 2) {
      // Where it was not found the distance is NaN.
      if (!(offLine(e, guess, moved, i) < 2 * AIM * px)) continue;
      sum += Math.min(AIMED * px, norm2(moved[i], moved[i + 1]));
    }
    return sum;
  });
  return [...agreed.keys()].filter((k) => agreed[k] > 0).sort((a, b) => agreed[b] - agreed[a]);
}

/** Depths that one source alone gives; NaN off the lines. */
export function alongLines({ guess, scale, moved }: View, e: Epipole, px: number): Float64Array {
  return Float64Array.from(scale, (w, i) => {
    if (Number.isNaN(moved[2 * i]) || offLine(e, guess, moved, 2 * i) > 2 * AIM * px) return NaN;
    const [gx, gy] = [e[0] - e[2] * (guess[2 * i] + moved[2 * i]), e[1] - e[2] * (guess[2 * i + 1] + moved[2 * i + 1])];
    return (w * (gx * moved[2 * i] + gy * moved[2 * i + 1])) / (gx * gx + gy * gy);
  });
}

/** By how much the depths of one source are longer than another's: the median over those that are deep in the other. */
export function lengthRatio(own: Float64Array, reference: Float64Array): number {
  const deep = [...reference.keys()].filter((i) => !Number.isNaN(own[i] + reference[i]));
  deep.sort((a, b) => Math.abs(reference[b]) - Math.abs(reference[a]));
  if (deep.length < NEEDED) return NaN;
  // The deepest are as often wrong as true; the shallow ones say nothing.
  const ratios = deep.slice(0, Math.max(NEEDED, deep.length >> 1)).map((i) => own[i] / reference[i]);
  return median(ratios);
}
