import { diceOf } from '../geometry/dice.ts';
import { median, norm2, solveCholesky } from '../geometry/linear.ts';
import { gemanMcClure } from '../motion/fitMotion.ts';

/** Corners of one frame as another one, the source, shows them; all in unit space, interleaved x, y. */
export interface View {
  /** Where the camera's plane puts each corner, and the third homogeneous coordinate there (1 at the frame's centre). */
  guess: Float64Array;
  scale: Float64Array;
  /** How far from its guess each corner was found; NaN where it was not. */
  moved: Float64Array;
}

/**
 * What a rigid world off the camera's plane does: a point of depth k is seen at (scale·guess + k·(e₀, e₁)) / (scale + k·e₂),
 * where e is the source's epipole, with the length of the camera's way in it.
 */
export interface Parallax {
  /** Per corner; 0 = on the plane, NaN = unknown or on nothing rigid. */
  depths: Float64Array;
  /** Per source; undefined where the frames do not tell. */
  epipoles: (Epipole | undefined)[];
}

export type Epipole = Float64Array;

/** Movements shorter than this say nothing about a direction, and how exactly one points, analysis px. */
const LEAST_MOVED = 1;
const AIM = 0.5;
/** A source is not the better for movements longer than this, analysis px: they are as often wrong. */
const FAR = 10;
const SAMPLES = 240;
/** Corners that must agree about an epipole, and their share of those that moved. */
const NEEDED = 8;
const NEEDED_SHARE = 0.25;
/** An honest match's error, analysis px; the rounds start with a larger one. */
const SIGMA = 0.3;
const ROUNDS = 8;
const START = 4;
/** Corners whose typical error is larger move by themselves, analysis px. */
const MOST_ERROR = 0.8;

/**
 * Plane and parallax (Irani & Anandan 1996; Sawhney 1994): what rigid points off the plane move, lies on lines through one
 * epipole per source, in proportion to depths that all sources share. Epipoles come from random pairs of lines, their
 * lengths from the corners that two sources share, then both and the depths from alternating robust least squares.
 *
 * @param px - One px of the analysis image in unit space.
 * @returns undefined where nothing rigid off the plane is found.
 */
export function findParallax(views: readonly View[], px: number): Parallax | undefined {
  let epipoles = views.map((view) => sampleEpipole(view, px));
  const base = strongest(views, epipoles, px);
  if (base === undefined) return undefined;
  const reference = alongLines(views[base], epipoles[base]!, px);
  epipoles = epipoles.map((e, k) => e && scaled(e, lengthRatio(alongLines(views[k], e, px), reference)));
  let depths = reference;
  for (let round = 0; round < ROUNDS; round++) {
    const sigma = SIGMA * px * Math.max(1, START * 0.6 ** round);
    depths = fitDepths(views, epipoles, depths, sigma);
    epipoles = views.map((view, k) => fitEpipole(view, depths, epipoles[k], sigma));
  }
  dropStrangers(views, epipoles, depths, MOST_ERROR * px);
  return epipoles.some(Boolean) ? { depths, epipoles } : undefined;
}

/** Epipole of one more source of the same frame, whose corners' depths are known; undefined where it is not like them. */
export function epipoleOf(view: View, depths: Float64Array, px: number): Epipole | undefined {
  let e: Epipole | undefined;
  for (let round = 0; round < ROUNDS; round++) {
    e = fitEpipole(view, depths, e, SIGMA * px * Math.max(1, START * 0.6 ** round));
  }
  const errors = e ? errorsOf(view, e, depths).filter((v) => !Number.isNaN(v)) : [];
  return errors.length >= NEEDED && median(errors) < MOST_ERROR * px ? e : undefined;
}

/** Depths of more corners that the same sources show; NaN where they do not fit. */
export function moreDepths(views: readonly View[], { epipoles }: Parallax, px: number): Float64Array {
  const unknown = new Float64Array(views[0].scale.length).fill(NaN);
  const depths = fitDepths(views, epipoles, unknown, SIGMA * px);
  dropStrangers(views, [...epipoles], depths, MOST_ERROR * px);
  return depths;
}

/** Where a point of a depth lies in the source, as a movement from its guess. */
export function parallaxOf(e: Epipole, x: number, y: number, scale: number, depth: number): [number, number] {
  const q = depth / (scale + depth * e[2]);
  return [q * (e[0] - e[2] * x), q * (e[1] - e[2] * y)];
}

const scaled = (e: Epipole, by: number): Epipole | undefined =>
  Number.isFinite(by) ? e.map((v) => v * by) : undefined;

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

/** The line that a movement lies on, homogeneous. */
const lineOf = (guess: Float64Array, moved: Float64Array, i: number): [number, number, number] => [
  -moved[i + 1],
  moved[i],
  guess[i] * moved[i + 1] - guess[i + 1] * moved[i],
];

function crossing(a: [number, number, number], b: [number, number, number]): Epipole | undefined {
  const e = Float64Array.of(a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]);
  const length = Math.sqrt(e[0] ** 2 + e[1] ** 2 + e[2] ** 2);
  return length > 1e-12 ? e.map((v) => v / length) : undefined;
}

/** Distance of a found corner from the line through its guess and the epipole. */
function offLine(e: Epipole, guess: Float64Array, moved: Float64Array, i: number): number {
  const [gx, gy] = [e[0] - e[2] * guess[i], e[1] - e[2] * guess[i + 1]];
  return Math.abs(moved[i] * gy - moved[i + 1] * gx) / Math.max(1e-9, norm2(gx, gy));
}

/** The source in which most corners agree, weighed by how far they moved. */
function strongest(views: readonly View[], epipoles: readonly (Epipole | undefined)[], px: number): number | undefined {
  let best: number | undefined;
  let most = 0;
  epipoles.forEach((e, k) => {
    if (!e) return;
    const { guess, moved } = views[k];
    let sum = 0;
    for (let i = 0; i < moved.length; i += 2) {
      // Where it was not found the distance is NaN.
      if (!(offLine(e, guess, moved, i) < 2 * AIM * px)) continue;
      sum += Math.min(FAR * px, norm2(moved[i], moved[i + 1]));
    }
    if (sum > most) [best, most] = [k, sum];
  });
  return best;
}

/** Depths that one source alone gives; NaN off the lines. */
function alongLines({ guess, scale, moved }: View, e: Epipole, px: number): Float64Array {
  return Float64Array.from(scale, (w, i) => {
    if (Number.isNaN(moved[2 * i]) || offLine(e, guess, moved, 2 * i) > 2 * AIM * px) return NaN;
    const [gx, gy] = [e[0] - e[2] * (guess[2 * i] + moved[2 * i]), e[1] - e[2] * (guess[2 * i + 1] + moved[2 * i + 1])];
    return (w * (gx * moved[2 * i] + gy * moved[2 * i + 1])) / (gx * gx + gy * gy);
  });
}

/** By how much the depths of one source are longer than another's: the median over those that are deep in the other. */
function lengthRatio(own: Float64Array, reference: Float64Array): number {
  const deep = [...reference.keys()].filter((i) => !Number.isNaN(own[i] + reference[i]));
  deep.sort((a, b) => Math.abs(reference[b]) - Math.abs(reference[a]));
  if (deep.length < NEEDED) return NaN;
  // The deepest are as often wrong as true; the shallow ones say nothing.
  const ratios = deep.slice(0, Math.max(NEEDED, deep.length >> 1)).map((i) => own[i] / reference[i]);
  return median(ratios);
}

function fitDepths(
  views: readonly View[],
  epipoles: readonly (Epipole | undefined)[],
  before: Float64Array,
  sigma: number,
): Float64Array {
  return before.map((known, i) => {
    const rows = views.flatMap((view, k) => {
      const e = epipoles[k];
      const [mx, my] = [view.moved[2 * i], view.moved[2 * i + 1]];
      if (!e || Number.isNaN(mx)) return [];
      const w = view.scale[i];
      const gx = (e[0] - e[2] * (view.guess[2 * i] + mx)) / w;
      const gy = (e[1] - e[2] * (view.guess[2 * i + 1] + my)) / w;
      return [{ gx, gy, mx, my, long: norm2(gx, gy) }];
    });
    if (rows.length === 0) return NaN;
    let depth = Number.isNaN(known)
      ? weightedMedian(rows.map((r) => [(r.gx * r.mx + r.gy * r.my) / (r.long ** 2 + 1e-12), r.long]))
      : known;
    for (let round = 0; round < 3; round++) {
      let [top, bottom] = [0, 1e-12];
      for (const { gx, gy, mx, my } of rows) {
        const w = gemanMcClure((mx - depth * gx) ** 2 + (my - depth * gy) ** 2, 4 * sigma * sigma) + 1e-4;
        top += w * (gx * mx + gy * my);
        bottom += w * (gx * gx + gy * gy);
      }
      depth = top / bottom;
    }
    return depth;
  });
}

function weightedMedian(values: [number, number][]): number {
  const sorted = values.sort((a, b) => a[0] - b[0]);
  const half = sorted.reduce((s, v) => s + v[1], 0) / 2;
  let sum = 0;
  for (const [v, w] of sorted) if ((sum += w) >= half) return v;
  return 0;
}

/** Epipole of one source under known depths; the one before tells which corners to believe. */
function fitEpipole(
  { guess, scale, moved }: View,
  depths: Float64Array,
  before: Epipole | undefined,
  sigma: number,
): Epipole | undefined {
  const a = new Float64Array(9);
  const bx = new Float64Array(3);
  let n = 0;
  for (let i = 0; i < depths.length; i++) {
    const [mx, my] = [moved[2 * i], moved[2 * i + 1]];
    if (Number.isNaN(mx + depths[i])) continue;
    const [x, y] = [guess[2 * i] + mx, guess[2 * i + 1] + my];
    const k = depths[i] / scale[i];
    // Without an epipole yet, what moved far is not believed at first.
    const [ex, ey] = before ? [mx - k * (before[0] - before[2] * x), my - k * (before[1] - before[2] * y)] : [mx, my];
    const w = gemanMcClure(ex * ex + ey * ey, before ? sigma * sigma : 16 * sigma * sigma);
    n++;
    add(a, bx, [k, 0, -k * x], mx, w);
    add(a, bx, [0, k, -k * y], my, w);
  }
  if (n < NEEDED) return undefined;
  for (let r = 0; r < 3; r++) a[r * 4] += 1e-9;
  return solveCholesky(a, bx, 3) ? bx : before;
}

function add(a: Float64Array, b: Float64Array, f: [number, number, number], value: number, w: number): void {
  for (let r = 0; r < 3; r++) {
    b[r] += w * f[r] * value;
    for (let c = 0; c <= r; c++) a[r * 3 + c] += w * f[r] * f[c];
  }
}

/** Forgets the depths of corners that no depth explains, and sources that most corners contradict. */
function dropStrangers(
  views: readonly View[],
  epipoles: (Epipole | undefined)[],
  depths: Float64Array,
  limit: number,
): void {
  const errors = views.map((view, k) => errorsOf(view, epipoles[k], depths));
  const known = (v: number): boolean => !Number.isNaN(v);
  depths.forEach((_, i) => {
    const own = errors.map((e) => e[i]).filter(known);
    if (own.length === 0 || median(own) > limit) depths[i] = NaN;
  });
  errors.forEach((e, k) => {
    const all = [...e].filter(known);
    if (all.length < NEEDED || median(all) > limit) epipoles[k] = undefined;
  });
}

/** How far each corner was found from where its depth puts it; NaN where either is unknown. */
function errorsOf({ guess, scale, moved }: View, e: Epipole | undefined, depths: Float64Array): Float64Array {
  return depths.map((depth, i) => {
    if (!e || Number.isNaN(moved[2 * i] + depth)) return NaN;
    const [dx, dy] = parallaxOf(e, guess[2 * i], guess[2 * i + 1], scale[i], depth);
    return norm2(moved[2 * i] - dx, moved[2 * i + 1] - dy);
  });
}
