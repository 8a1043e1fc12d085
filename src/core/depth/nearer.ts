import { sampled, spreadSources, type PlaceIn, type Witnesses } from './tileWindows.ts';

/** Windows agree within this mean difference, and differ beyond so many times of it, 8-bit levels. */
const SAME_LEVELS = 4;
const APART = 2;
/** A window of less contrast shows nothing, 8-bit levels. */
const LEAST_CONTRAST = 12;
/** A place lies on the surface on which its views are this much nearer to it than on any other. */
const CLEARLY = 0.7;
/** Samples across a window, and how far apart, frame px. */
const ACROSS = 3;
const SPACING = 4;
/** Rounds in which the place of another surface is found that a source shows in the same place. */
const ROUNDS = 3;
/** Some of the places are asked first, one of so many. */
const THINNED = 5;
/** Hidden places that must be found, and by how much of them one answer must outweigh the other. */
const LEAST_HIDDEN = 8;
const LEAST_LEAD = 0.5;

/** A surface, by the places and the depths of what lies on it. */
export interface DeepSurface {
  place: PlaceIn;
  depth: (x: number, y: number) => number;
}

/**
 * Whether what is nearer has the greater depths (1) or the smaller ones (-1): the sign of depths is only known up to that of
 * the epipoles. 0 = it cannot be told.
 *
 * What is nearer hides things in some frames that this one shows. A place that the frame and most sources show alike on one
 * surface and no other, but of which a source shows something else, is hidden there by another surface if the frame shows just that
 * something in the place of that other surface which the source sees there.
 *
 * @param points - Of the frame, interleaved x, y.
 */
export function signOfNearer(seen: Witnesses, surfaces: readonly DeepSurface[], points: Float32Array): -1 | 0 | 1 {
  const isFirst = (i: number): boolean => (i >> 1) % THINNED === 0;
  const first = votesAt(
    seen,
    surfaces,
    points.filter((_, i) => isFirst(i)),
  );
  // Where some of the places say nothing, all of them hardly do.
  if (first.length === 0 || signBy(first) !== 0) return signBy(first);
  const others = votesAt(
    seen,
    surfaces,
    points.filter((_, i) => !isFirst(i)),
  );
  return signBy([...first, ...others]);
}

function signBy(votes: readonly number[]): -1 | 0 | 1 {
  const sum = votes.reduce((all, vote) => all + vote, 0);
  const isClear = votes.length >= LEAST_HIDDEN && Math.abs(sum) >= LEAST_LEAD * votes.length;
  return isClear ? (Math.sign(sum) as -1 | 1) : 0;
}

/** What hidden places among those that are asked say. */
function votesAt(seen: Witnesses, surfaces: readonly DeepSurface[], asked: Float32Array): number[] {
  const { points, own } = shownBy(seen, asked);
  const sources = spreadSources(seen);
  const views = surfaces.map(({ place }) => sources.map((s) => viewOf(seen, place, s, points, own)));
  const prices = views.map((of) => pricesOf(of, seen.unit));
  return surfaces.flatMap((behind, k) => {
    const lying = placesOn(prices, k);
    return views[k].flatMap((view, j) => {
      const lost = lying.filter((i) => view.apart[i] > APART * SAME_LEVELS * seen.unit);
      const others = surfaces.filter((surface) => surface !== behind);
      return others.flatMap((before) =>
        hiddenBy(seen, before, sources[j], points, view, lost).map((i) => deeperAt(before, behind, points, i)),
      );
    });
  });
}

/** The places whose windows the frame shows, with these; without such as show nothing, which would be alike on any surface. */
function shownBy(seen: Witnesses, asked: Float32Array): { points: Float32Array; own: Float32Array } {
  const n = ACROSS * ACROSS;
  const windows = windowsOf(seen, seen.frame, asked);
  const shown = [...Array(asked.length / 2).keys()].filter((i) => contrastOf(windows, i) > LEAST_CONTRAST * seen.unit);
  return {
    points: Float32Array.from(shown.flatMap((i) => [asked[2 * i], asked[2 * i + 1]])),
    own: Float32Array.from(shown.flatMap((i) => [...windows.subarray(i * n, i * n + n)])),
  };
}

/** 1 where one surface is deeper than another one, -1 where it is less so. */
function deeperAt(one: DeepSurface, other: DeepSurface, points: Float32Array, i: number): number {
  const [x, y] = [points[2 * i], points[2 * i + 1]];
  return Math.sign(one.depth(x, y) - other.depth(x, y));
}

/** Windows of a source around places on a surface, and how far they are from what the frame shows there; NaN = not known. */
interface View {
  places: Float32Array;
  windows: Float32Array;
  apart: Float32Array;
}

function viewOf(seen: Witnesses, place: PlaceIn, source: number, points: Float32Array, own: Float32Array): View {
  const places = points.slice();
  const n = points.length / 2;
  const windows = place(source, places)
    ? windowsOf(seen, source, places)
    : new Float32Array(n * ACROSS * ACROSS).fill(NaN);
  return { places, windows, apart: Float32Array.from({ length: n }, (_, i) => difference(windows, i, own, i)) };
}

/** Luma of a frame in a window around each place. */
function windowsOf(seen: Witnesses, frame: number, places: Float32Array): Float32Array {
  const out = new Float32Array(places.length * ACROSS * ACROSS);
  const first = (-(ACROSS - 1) / 2) * SPACING;
  let at = 0;
  for (let i = 0; i < places.length; i += 2) {
    for (let y = 0; y < ACROSS; y++) {
      for (let x = 0; x < ACROSS; x++) {
        out[at++] = places[i] + first + x * SPACING;
        out[at++] = places[i + 1] + first + y * SPACING;
      }
    }
  }
  return sampled(seen, frame, out);
}

/** From the darkest to the brightest sample of a window; NaN if any part of it is not known. */
function contrastOf(windows: Float32Array, i: number): number {
  let [low, high] = [Infinity, -Infinity];
  for (let k = i * ACROSS * ACROSS; k < (i + 1) * ACROSS * ACROSS; k++) {
    low = Math.min(low, windows[k]);
    high = Math.max(high, windows[k]);
  }
  return high - low;
}

/** Mean difference of two windows; NaN if any part of one is not known. */
function difference(a: Float32Array, i: number, b: Float32Array, j: number): number {
  const n = ACROSS * ACROSS;
  let sum = 0;
  for (let k = 0; k < n; k++) sum += Math.abs(a[i * n + k] - b[j * n + k]);
  return sum / n;
}

/** How far, in all, the views of each place are from what the frame shows there; Infinity where fewer than half show it. */
function pricesOf(views: readonly View[], unit: number): Float64Array {
  return Float64Array.from(views[0]?.apart ?? [], (_, i) => {
    const known = views.map(({ apart }) => apart[i]).filter((v) => !Number.isNaN(v));
    const alike = known.filter((v) => v < SAME_LEVELS * unit).length;
    if (alike < Math.max(2, known.length / 2)) return Infinity;
    return known.reduce((sum, v) => sum + Math.min(v, APART * SAME_LEVELS * unit), 0) / known.length;
  });
}

/** The places that clearly lie on the k-th surface. */
function placesOn(prices: readonly Float64Array[], k: number): number[] {
  return [...prices[k].keys()].filter((i) =>
    prices.every((price, other) => other === k || prices[k][i] < CLEARLY * price[i]),
  );
}

/** Of places that a source does not show, those in which it shows what the frame shows on another surface. */
function hiddenBy(
  seen: Witnesses,
  before: DeepSurface,
  source: number,
  points: Float32Array,
  view: View,
  lost: readonly number[],
): number[] {
  const at = (all: Float32Array): Float32Array => Float32Array.from(lost.flatMap((i) => [all[2 * i], all[2 * i + 1]]));
  const [wanted, there] = [at(view.places), at(points)];
  for (let round = 0; round < ROUNDS; round++) {
    const seenAt = there.slice();
    if (!before.place(source, seenAt)) return [];
    for (let i = 0; i < there.length; i++) there[i] += wanted[i] - seenAt[i];
  }
  const shown = windowsOf(seen, seen.frame, there);
  return lost.filter((i, k) => difference(shown, k, view.windows, i) < SAME_LEVELS * seen.unit);
}
