import { addEquation, median, norm2, solveCholesky } from '../geometry/linear.ts';
import { gemanMcClure } from '../motion/fitMotion.ts';
import { errorsBy, fitCorrected, levelled, sampleCorrected } from './corrected.ts';
import { epipoleOn, parallaxOf, perDepth, type Epipole, type View } from './epipole.ts';
import { alongLines, differences, lengthRatio, sampleEpipole, strongest } from './sampleEpipole.ts';

/**
 * What a rigid world off the camera's plane does: a point of depth k is seen at (scale·guess + k·(e₀, e₁)) / (scale + k·e₂),
 * where e is the source's epipole, with the length of the camera's way in it.
 */
export interface Parallax {
  /** Per corner; 0 = on the plane, NaN = unknown or on nothing rigid. */
  depths: Float64Array;
  /** Per source; undefined where the frames do not tell, and where it was not measured. */
  epipoles: (Epipole | undefined)[];
}

/** A source does not tell more for movements longer than this, analysis px: they are as often wrong. */
const FAR = 10;
/** Corners that epipoles are found with. */
const MOST_CORNERS = 400;
/** Views that depths are measured in. */
const MEASURED = 6;
/** Sources that are begun with, the share of the corners that must be explained, and that with which nothing else is tried. */
const BASES = 5;
const LEAST_SHARE = 0.5;
const ENOUGH = 0.8;
/** Corners that must agree about a source. */
const NEEDED = 8;
/** The same of one more. */
const NEEDED_MORE = 16;
/** An honest match's error, analysis px; the rounds start with a larger one. */
const SIGMA = 0.3;
/** What is begun with creeps towards its end, and is judged there: after 16 rounds of these a worse one is often ahead. */
const ROUNDS = 40;
/** The rounds for one more source. */
const ROUNDS_MORE = 24;
/** Rounds in which a depth is fitted. */
const DEPTH_ROUNDS = 3;
/** Rounds after each view that is added. */
const FIRST_ROUNDS = 4;
/** By how much the error falls from round to round. */
const SOONER = 0.9;
const START = 4;
/** Corners whose typical error is larger move by themselves, and views whose is larger are not explained, analysis px. */
const MOST_ERROR = 0.8;
const MOST_OF_VIEW = 0.5;
/** A corner is explained below this, analysis px. */
const EXACT = 0.3;

/**
 * Plane and parallax (Irani & Anandan 1996; Sawhney 1994): what rigid points off the plane move, lies on lines through one
 * epipole per source, in proportion to depths that all sources share. Epipoles come from random pairs of lines, their
 * lengths from the corners that two sources share, then both and the depths from alternating robust least squares.
 *
 * @param px - One px of the analysis image in unit space.
 * @returns undefined where nothing rigid off the plane is found.
 */
export function findParallax(views: readonly View[], px: number): Parallax | undefined {
  const step = Math.ceil((views[0]?.scale.length ?? 0) / MOST_CORNERS);
  if (step <= 1) return bestOf(views, px);
  const found = bestOf(
    views.map((view) => thinned(view, step)),
    px,
  );
  return found && { depths: moreDepths(views, found.epipoles, px), epipoles: found.epipoles };
}

/** Every so many corners of a view: where a hole has many parts they are more than are needed. */
function thinned({ places, guess, scale, moved }: View, step: number): View {
  const pairs = (of: Float64Array): Float64Array => of.filter((_, i) => (i >> 1) % step === 0);
  return {
    places: pairs(places),
    guess: pairs(guess),
    scale: scale.filter((_, i) => i % step === 0),
    moved: pairs(moved),
  };
}

/** What explains most, of all that may be begun with. */
function bestOf(views: readonly View[], px: number): Parallax | undefined {
  let best: Settled | undefined;
  let most = LEAST_SHARE;
  const shares = new Set<number>();
  for (const lines of [() => views, () => views.map((view) => differences(view, px))]) {
    for (const start of startsOf(lines(), px)) {
      const found = begun(views, start, px);
      settle(found, px);
      const share = shareOf(found, px);
      if (share > most) [best, most] = [found, share];
      // What arrives where another one has arrived shows that those that are left will do so, too.
      if (most > ENOUGH || shares.has(share)) break;
      shares.add(share);
    }
    if (most > ENOUGH) break;
  }
  if (!best) return undefined;
  const { measured, some, epipoles, depths } = best;
  dropStrangers(allLevelled(some, epipoles), epipoles, depths, px);
  const all: (Epipole | undefined)[] = views.map(() => undefined);
  measured.forEach((k, i) => (all[k] = epipoles[i]));
  return all.some(Boolean) ? { depths, epipoles: all } : undefined;
}

/** A source, and where its epipole may be. */
interface Start {
  base: number;
  e: Epipole;
}

/** What to begin with, the likeliest first. */
function startsOf(lines: readonly View[], px: number): Start[] {
  const epipoles = lines.map((view) => sampleEpipole(view, px));
  const bases = strongest(lines, epipoles, px).slice(0, BASES);
  return bases.map((base) => ({ base, e: epipoles[base]! }));
}

/** Depths and epipoles that are measured in some of the views, by robust least squares in turns. */
interface Settled extends Parallax {
  /** Numbers of these views. */
  measured: number[];
  some: View[];
}

/** From one epipole, in some of the views: from the one that is begun with to those that tell more, each with the depths of those before. */
function begun(views: readonly View[], { base, e }: Start, px: number): Settled {
  const measured = ladder(views, base, px);
  const some = measured.map((k) => views[k]);
  const out: Settled = { measured, some, depths: alongLines(views[base], e, px), epipoles: [e] };
  for (const view of some.slice(1)) {
    const { depths } = out;
    out.epipoles.push(sampleCorrected(view, { depths }, aimOf(view, depths, px), px));
    for (let round = 0; round < FIRST_ROUNDS; round++) takeTurns(out, START * SIGMA * px);
  }
  return out;
}

function settle(out: Settled, px: number): void {
  for (let round = 0; round < ROUNDS; round++) takeTurns(out, SIGMA * px * Math.max(1, START * SOONER ** round));
}

function takeTurns(out: Settled, sigma: number): void {
  const { some, epipoles } = out;
  const level = allLevelled(some.slice(0, epipoles.length), epipoles);
  out.depths = fitDepths(level, epipoles, out.depths, sigma);
  out.epipoles = epipoles.map((one, k) => fitOne(some[k], out.depths, one, sigma));
}

/** Share of the corners that are explained, of those that more than one view shows; 0 where none is. */
function shareOf({ some, epipoles, depths }: Settled, px: number): number {
  const left = [...epipoles];
  const errors = dropStrangers(allLevelled(some, epipoles), left, depths.slice(), px);
  if (!left.some(Boolean)) return 0;
  const seen = (i: number): boolean => some.filter(({ moved }) => !Number.isNaN(moved[2 * i])).length > 1;
  const known = errors.filter((_, i) => seen(i));
  return known.filter((v) => v < EXACT * px).length / Math.max(1, known.length);
}

/** Views that are measured in: that which is begun with, and some that tell more up to the one that tells most. */
function ladder(views: readonly View[], base: number, px: number): number[] {
  const told = views.map((view) => telling(view, px));
  const others = [...views.keys()].filter((k) => k !== base).sort((a, b) => told[a] - told[b]);
  const above = others.filter((k) => told[k] > told[base]);
  const more = above.length < MEASURED ? others.slice(-MEASURED) : above;
  const step = Math.max(1, more.length / MEASURED);
  const steps = Array.from({ length: Math.min(MEASURED, more.length) }, (_, i) => more[Math.floor((i + 1) * step) - 1]);
  return [base, ...steps];
}

/** How much a view tells about depths: how far its corners moved, in all; not more for what moved very far. */
function telling({ moved }: View, px: number): number {
  let sum = 0;
  for (let i = 0; i < moved.length; i += 2) {
    if (!Number.isNaN(moved[i])) sum += Math.min(FAR * px, norm2(moved[i], moved[i + 1]));
  }
  return sum;
}

/**
 * What explains most of one more source of the same frame, by depths that are known, however little that is.
 * @param aim - What it may be.
 */
export function likeliest(
  view: View,
  { views, epipoles, depths }: Known,
  px: number,
  aim?: Epipole,
): Epipole | undefined {
  const deep = { depths, told: toldBy(views, epipoles) };
  let e = sampleCorrected(view, deep, aim ?? aimOf(view, depths, px), px);
  for (let round = 0; round < ROUNDS_MORE; round++) {
    const sigma = SIGMA * px * Math.max(1, START * SOONER ** round);
    e = e ? fitCorrected(view, deep, e, sigma) : firstEpipole(view, depths, sigma);
  }
  return e;
}

/** The epipole that most of the movements point to, with which the source's depths are those that are known. */
function aimOf(view: View, depths: Float64Array, px: number): Epipole | undefined {
  const aimed = sampleEpipole(view, px);
  return aimed && relatedTo(depths, view, aimed, px);
}

/** How far a depth of 1 moves each corner in some sources: the sum of squares. */
function toldBy(views: readonly View[], epipoles: readonly Epipole[]): Float64Array {
  const out = new Float64Array(views[0]?.scale.length ?? 0).fill(1e-12);
  views.forEach((view, k) => {
    for (let i = 0; i < out.length; i++) {
      if (Number.isNaN(view.moved[2 * i])) continue;
      const [gx, gy] = perDepth(view, epipoles[k], i);
      out[i] += gx * gx + gy * gy;
    }
  });
  return out;
}

/** Sources of a frame, their epipoles, and the depths that they show. */
export interface Known {
  views: View[];
  epipoles: Epipole[];
  depths: Float64Array;
}

/**
 * One more source together with those that are known: the farther away the more exactly it tells depths, which are adapted to it.
 * @returns undefined where most of what it shows is not where depths put it.
 */
export function withOneMore(known: Known, view: View, e: Epipole, px: number): Known | undefined {
  const views = [...known.views, view];
  const epipoles = [...known.epipoles, e];
  const errors = errorsBy(view, e, { depths: known.depths, told: toldBy(known.views, known.epipoles) });
  if (errors.length < NEEDED_MORE || median(errors) > MOST_OF_VIEW * px) return undefined;
  return { views, epipoles, depths: fitDepths(allLevelled(views, epipoles), epipoles, known.depths, SIGMA * px) };
}

/** Depths of more corners that the same sources show; NaN where they do not fit. */
export function moreDepths(
  views: readonly View[],
  epipoles: readonly (Epipole | undefined)[],
  px: number,
): Float64Array {
  const unknown = new Float64Array(views[0].scale.length).fill(NaN);
  const level = allLevelled(views, epipoles);
  const depths = fitDepths(level, epipoles, unknown, SIGMA * px);
  dropStrangers(level, [...epipoles], depths, px);
  return depths;
}

const allLevelled = (views: readonly View[], epipoles: readonly (Epipole | undefined)[]): View[] =>
  views.map((view, k) => (epipoles[k] ? levelled(view, epipoles[k]) : view));

/** An epipole of length 1 as one with which a source's depths are those of a reference. */
function relatedTo(reference: Float64Array, view: View, e: Epipole, px: number): Epipole | undefined {
  const by = lengthRatio(alongLines(view, e, px), reference);
  return Number.isFinite(by) ? e.map((v) => v * by) : undefined;
}

/** Without one yet, an epipole alone is looked for. */
const fitOne = (view: View, depths: Float64Array, e: Epipole | undefined, sigma: number): Epipole | undefined =>
  e ? fitCorrected(view, { depths }, e, sigma) : firstEpipole(view, depths, sigma);

function fitDepths(
  views: readonly View[],
  epipoles: readonly (Epipole | undefined)[],
  before: Float64Array,
  sigma: number,
): Float64Array {
  const used = views.flatMap((view, k) => (epipoles[k] ? [{ view, e: epipoles[k] }] : []));
  const rows = new DepthRows(used.length);
  return before.map((known, i) => {
    rows.n = 0;
    for (const { view, e } of used) if (!Number.isNaN(view.moved[2 * i])) rows.add(view, e, i);
    return rows.n === 0 ? NaN : rows.fit(Number.isNaN(known) ? rows.typical() : known, sigma);
  });
}

/** What some views show of one corner. They are asked millions of times: nothing is made anew for it. */
class DepthRows {
  n = 0;
  /** How far a depth of 1 moves it, and how far it moved. */
  private readonly gx: Float64Array;
  private readonly gy: Float64Array;
  private readonly mx: Float64Array;
  private readonly my: Float64Array;

  /** @param most - Views at most. */
  constructor(most: number) {
    [this.gx, this.gy, this.mx, this.my] = [0, 1, 2, 3].map(() => new Float64Array(most));
  }

  add(view: View, e: Epipole, i: number): void {
    const { n } = this;
    const [gx, gy] = perDepth(view, e, i);
    this.gx[n] = gx;
    this.gy[n] = gy;
    this.mx[n] = view.moved[2 * i];
    this.my[n] = view.moved[2 * i + 1];
    this.n++;
  }

  /** The median of the depths that the views say alone. */
  typical(): number {
    const { gx, gy, mx, my } = this;
    const values = Array.from({ length: this.n }, (_, k): [number, number] => {
      const long = norm2(gx[k], gy[k]);
      return [(gx[k] * mx[k] + gy[k] * my[k]) / (long ** 2 + 1e-12), long];
    });
    return weightedMedian(values);
  }

  /** The depth that they say together, robustly. @param first - What to begin with. */
  fit(first: number, sigma: number): number {
    const { gx, gy, mx, my, n } = this;
    let depth = first;
    for (let round = 0; round < DEPTH_ROUNDS; round++) {
      let [top, bottom] = [0, 1e-12];
      for (let k = 0; k < n; k++) {
        const [ex, ey] = [mx[k] - depth * gx[k], my[k] - depth * gy[k]];
        const w = gemanMcClure(ex * ex + ey * ey, 4 * sigma * sigma) + 1e-4;
        top += w * (gx[k] * mx[k] + gy[k] * my[k]);
        bottom += w * (gx[k] * gx[k] + gy[k] * gy[k]);
      }
      depth = top / bottom;
    }
    return depth;
  }
}

function weightedMedian(values: [number, number][]): number {
  const sorted = values.sort((a, b) => a[0] - b[0]);
  const half = sorted.reduce((s, v) => s + v[1], 0) / 2;
  let sum = 0;
  for (const [v, w] of sorted) if ((sum += w) >= half) return v;
  return 0;
}

/** Epipole of one source under known depths: what moved far is not believed. */
function firstEpipole({ guess, scale, moved }: View, depths: Float64Array, sigma: number): Epipole | undefined {
  const a = new Float64Array(9);
  const bx = new Float64Array(3);
  let n = 0;
  for (let i = 0; i < depths.length; i++) {
    const [mx, my] = [moved[2 * i], moved[2 * i + 1]];
    if (Number.isNaN(mx + depths[i])) continue;
    const [x, y] = [guess[2 * i] + mx, guess[2 * i + 1] + my];
    const k = depths[i] / scale[i];
    const w = gemanMcClure(mx * mx + my * my, 16 * sigma * sigma);
    n++;
    addEquation(a, bx, [k, 0, -k * x], mx, w);
    addEquation(a, bx, [0, k, -k * y], my, w);
  }
  if (n < NEEDED) return undefined;
  for (let r = 0; r < 3; r++) a[r * 4] += 1e-9;
  return solveCholesky(a, bx, 3) ? epipoleOn(bx[0], bx[1], bx[2]) : undefined;
}

/**
 * Forgets the depths of corners that no depth explains, and sources that most corners contradict.
 * @returns The typical error of each corner, NaN where it is found in none.
 */
function dropStrangers(
  views: readonly View[],
  epipoles: (Epipole | undefined)[],
  depths: Float64Array,
  px: number,
): Float64Array {
  const errors = views.map((view, k) => errorsOf(view, epipoles[k], depths));
  const known = (v: number): boolean => !Number.isNaN(v);
  const typical = depths.map((_, i) => {
    const own = errors.map((e) => e[i]).filter(known);
    return own.length === 0 ? NaN : median(own);
  });
  typical.forEach((error, i) => {
    if (!(error <= MOST_ERROR * px)) depths[i] = NaN;
  });
  errors.forEach((e, k) => {
    const all = [...e].filter(known);
    if (all.length < NEEDED || median(all) > MOST_OF_VIEW * px) epipoles[k] = undefined;
  });
  return typical;
}

/** How far each corner was found from where its depth puts it; NaN where either is unknown. */
function errorsOf({ guess, scale, moved }: View, e: Epipole | undefined, depths: Float64Array): Float64Array {
  return depths.map((depth, i) => {
    if (!e || Number.isNaN(moved[2 * i] + depth)) return NaN;
    const [dx, dy] = parallaxOf(e, guess[2 * i], guess[2 * i + 1], scale[i], depth);
    return norm2(moved[2 * i] - dx, moved[2 * i + 1] - dy);
  });
}
