import { DICE_END, diceOf } from '../geometry/dice.ts';
import { median, solveCholesky } from '../geometry/linear.ts';
import { gemanMcClure } from '../motion/fitMotion.ts';

/**
 * How something moves off the camera's plane in one source, whatever a rigid world would do: (a₀ + a₁·u + a₂·v,
 * a₃ + a₄·u + a₅·v) frame px at the local coordinates u, v.
 */
export type AffineShift = Float64Array;

/** By source. */
export type FreeMotion = ReadonlyMap<number, AffineShift>;

/** Corners around a part of a hole. */
export interface MovedCorners {
  /** Local coordinates, interleaved u, v. */
  places: Float64Array;
  /** How much each counts. */
  counts: Float64Array;
  /** By source: movement off the camera's plane, interleaved, frame px; NaN where a corner was not found. */
  moved: ReadonlyMap<number, Float64Array>;
}

const TRIES = 240;
const MOST = 3;
/** A try takes its corners from so many that lie nearest to one of them. */
const NEAREST = 14;
/** Corners that a motion needs, and those that a source must show. */
const NEEDED = 9;
const NEEDED_IN_SOURCE = 6;
/** Sources in which the tries are judged, and those in which a corner must agree. */
const JUDGED = 6;
const AGREE_IN = 3;
/** Share of the sources in which a motion must be known. */
const KNOWN_IN = 0.75;
const REFITS = 4;
/** Pull of slopes towards none, against a corner's at the edge of the surroundings: where corners lie on a line nothing tells them. */
const RIDGE = 1e-3;

/**
 * Groups of corners each of which moves alike, up to an affine map per source, in all sources that show it; the strongest first
 * (sequential MSAC, Torr & Zisserman 2000, over all sources at once: what lies on one surface stays together in all of them).
 *
 * @param frame - In which the corners were found.
 * @param sources - That the frame is filled from.
 * @param tolerance - Error of an honest match, frame px.
 * @returns Per group its motion in the sources that show enough of it.
 */
export function freeMotions(
  corners: MovedCorners,
  frame: number,
  sources: readonly number[],
  tolerance: number,
): FreeMotion[] {
  // Near by everything moves alike.
  const away = (s: number): number => Math.abs(s - frame);
  const far = [...sources].sort((a, b) => away(b) - away(a)).slice(0, Math.ceil(sources.length / 2));
  const judged = spread(far, JUDGED);
  const shown = (i: number): number => judged.filter((s) => !Number.isNaN(corners.moved.get(s)![2 * i])).length;
  let left = [...corners.counts.keys()].filter((i) => shown(i) >= AGREE_IN);
  const out: FreeMotion[] = [];
  const dice = diceOf((left.length + 1) * 7919);
  while (out.length < MOST && left.length >= NEEDED) {
    const inliers = bestGroup(corners, left, judged, tolerance, dice);
    if (inliers.length < NEEDED) break;
    const motion = completed(fitAll(corners, inliers, [...corners.moved.keys()], tolerance), corners, frame);
    if (sources.filter((s) => motion.has(s)).length >= KNOWN_IN * sources.length) out.push(motion);
    const gone = new Set(inliers);
    left = left.filter((i) => !gone.has(i));
  }
  return out;
}

/** The motion also of those sources between others that show too little of a group: it passes evenly from one to the next. */
function completed(known: FreeMotion, { moved }: MovedCorners, frame: number): Map<number, AffineShift> {
  const all = new Map([...known, [frame, new Float64Array(6)]]);
  const inOrder = [...all.keys()].sort((a, b) => a - b);
  const out = new Map(known);
  for (const source of moved.keys()) {
    const before = inOrder.findLast((s) => s < source);
    const after = inOrder.find((s) => s > source);
    if (all.has(source) || before === undefined || after === undefined) continue;
    const share = (source - before) / (after - before);
    out.set(
      source,
      all.get(before)!.map((v, i) => (1 - share) * v + share * all.get(after)![i]),
    );
  }
  return out;
}

/** Movement at local coordinates, frame px. */
export const shiftAt = (a: AffineShift, u: number, v: number): [number, number] => [
  a[0] + a[1] * u + a[2] * v,
  a[3] + a[4] * u + a[5] * v,
];

/** The corners of the group that counts most. */
function bestGroup(
  corners: MovedCorners,
  among: readonly number[],
  judged: readonly number[],
  tolerance: number,
  dice: () => number,
): number[] {
  const one = (of: readonly number[]): number => of[Math.floor((dice() / DICE_END) * of.length)];
  let best: FreeMotion | undefined;
  let most = 0;
  const consider = (motion: FreeMotion): boolean => {
    const errors = among.map((i) => errorOf(corners, motion, i) / tolerance);
    // Few corners always fit an affine map.
    if (errors.filter((e) => e < 1).length < NEEDED) return false;
    const worth = errors.reduce((sum, e, k) => sum + corners.counts[among[k]] * Math.max(0, 1 - e * e), 0);
    if (worth <= most) return false;
    [best, most] = [motion, worth];
    return true;
  };
  for (let k = 0; k < TRIES; k++) {
    const near = nearestTo(corners, one(among), among);
    consider(fitAll(corners, [near[0], one(near), one(near), one(near)], judged, tolerance, 3));
  }
  const inliersOf = (motion: FreeMotion): number[] => among.filter((i) => errorOf(corners, motion, i) < tolerance);
  for (let k = 0; best && k < REFITS; k++) {
    if (!consider(fitAll(corners, inliersOf(best), judged, tolerance))) break;
  }
  return best ? inliersOf(best) : [];
}

/** Typical distance of a corner from where a motion puts it, over the sources that show it; Infinity where too few do. */
function errorOf({ places, moved }: MovedCorners, motion: FreeMotion, i: number): number {
  const errors: number[] = [];
  for (const [source, a] of motion) {
    const there = moved.get(source)!;
    if (Number.isNaN(there[2 * i])) continue;
    const [x, y] = shiftAt(a, places[2 * i], places[2 * i + 1]);
    errors.push(Math.hypot(there[2 * i] - x, there[2 * i + 1] - y));
  }
  return errors.length < Math.max(2, Math.min(AGREE_IN, motion.size)) ? Infinity : median(errors);
}

/** The affine map of some corners in each source that shows enough of them. */
function fitAll(
  corners: MovedCorners,
  members: readonly number[],
  sources: readonly number[],
  tolerance: number,
  needed = NEEDED_IN_SOURCE,
): Map<number, AffineShift> {
  const own = [...new Set(members)];
  return new Map(
    sources.flatMap((source) => {
      const shown = own.filter((i) => !Number.isNaN(corners.moved.get(source)![2 * i]));
      const fit = shown.length < needed ? undefined : fitAffine(corners, shown, source, tolerance);
      return fit ? [[source, fit] as const] : [];
    }),
  );
}

function fitAffine(
  { places, counts, moved }: MovedCorners,
  members: readonly number[],
  source: number,
  tolerance: number,
): AffineShift | undefined {
  const there = moved.get(source)!;
  let fit = Float64Array.of(
    median(members.map((i) => there[2 * i])),
    0,
    0,
    median(members.map((i) => there[2 * i + 1])),
    0,
    0,
  );
  for (let round = 0; round < REFITS; round++) {
    const a = new Float64Array(9);
    const [bx, by] = [new Float64Array(3), new Float64Array(3)];
    for (const i of members) {
      const f = [1, places[2 * i], places[2 * i + 1]];
      const [x, y] = shiftAt(fit, f[1], f[2]);
      const e = (there[2 * i] - x) ** 2 + (there[2 * i + 1] - y) ** 2;
      // The first round starts from the middle alone, from which slopes lead far away.
      const w = counts[i] * gemanMcClure(e, (tolerance * Math.max(1, 8 / 4 ** round)) ** 2);
      for (let r = 0; r < 3; r++) {
        bx[r] += w * f[r] * there[2 * i];
        by[r] += w * f[r] * there[2 * i + 1];
        for (let c = 0; c <= r; c++) a[3 * r + c] += w * f[r] * f[c];
      }
    }
    a[0] += 1e-9;
    a[4] += RIDGE;
    a[8] += RIDGE;
    if (!solveCholesky(a.slice(), bx, 3) || !solveCholesky(a, by, 3)) return undefined;
    fit = Float64Array.of(...bx, ...by);
  }
  return fit;
}

function nearestTo({ places }: MovedCorners, i: number, among: readonly number[]): number[] {
  const away = (j: number): number =>
    (places[2 * i] - places[2 * j]) ** 2 + (places[2 * i + 1] - places[2 * j + 1]) ** 2;
  return [...among].sort((a, b) => away(a) - away(b)).slice(0, NEAREST);
}

/** So many of them, from all over. */
function spread(all: readonly number[], most: number): number[] {
  const sorted = [...all].sort((a, b) => a - b);
  const step = Math.max(1, sorted.length / most);
  return Array.from({ length: Math.min(most, sorted.length) }, (_, k) => sorted[Math.floor((k + 0.5) * step)]);
}
