import { medianOfFirst } from '../geometry/linear.ts';
import {
  LEAST_SAMPLES,
  viewsOn,
  WINDOW,
  type PlaceIn,
  type TileWindow,
  type View,
  type Witnesses,
} from './tileWindows.ts';

/** Share of the frames that show a window which are believed: before the others somebody may pass. */
const BELIEVED_SHARE = 0.5;
/**
 * Share of them that has to agree about what shows nothing, and how much that counts beside those that are believed: where a lamp's pole stands
 * before a plain wall, half of the frames show the bare wall in its place on any surface but its own.
 */
const WIDE_SHARE = 0.75;
const WIDE_COUNTS = 0.2;
/** Differences count up to this, 16-bit-pyramid levels of an 8-bit one. */
export const CLIP = 18;
/** Sources that differ about a tile by more, 8-bit levels (rms), do not agree. */
const POOR = 6;
/** A window of less contrast than so many 8-bit levels (standard deviation) shows nothing: frames agree about it wherever it is laid. */
const PLAIN = 3;

/** How far most frames that see each tile disagree about it on a surface; NaN where fewer than two do. */
export const costsOn = (seen: Witnesses, place: PlaceIn, tiles: readonly TileWindow[]): Float64Array =>
  disagreement(seen, place, tiles, wideCostAt);

/** The same of one tile. */
export const wideCostAt = (views: readonly View[], at: number, unit: number): number =>
  leastMean(misfitsAt(views, at, unit).misfits, WIDE_SHARE);

/**
 * The same where they agree about something: NaN where it is plain.
 * @param least - NaN where fewer frames see a tile.
 */
export const detailCostsOn = (
  seen: Witnesses,
  place: PlaceIn,
  tiles: readonly TileWindow[],
  least: number,
): Float64Array =>
  disagreement(seen, place, tiles, (views, at, unit) => {
    const { misfits, plain } = misfitsAt(views, at, unit);
    return misfits.length < least || plain ? NaN : leastMean(misfits, WIDE_SHARE);
  });

/** What {@link costsOn} is above where the sources do not agree. */
export const poorCost = ({ unit }: Pick<Witnesses, 'unit'>): number => (POOR * unit) ** 2;

/** Variance between the frames that see each tile's window on a surface, by one of the measures below; NaN where fewer than two do. */
export function disagreement(
  seen: Witnesses,
  place: PlaceIn,
  tiles: readonly TileWindow[],
  of = varianceAt,
): Float64Array {
  const views = viewsOn(seen, place, tiles);
  return Float64Array.from(tiles, (_, t) => of(views, t * WINDOW, seen.unit));
}

/** What a frame shows of a window, and the mean of that. */
interface Seen {
  view: Float32Array;
  mean: number;
}

/** The frames that show enough of the window at `at`. */
function seenAt(views: readonly View[], at: number): Seen[] {
  return views.flatMap(({ samples: view }) => {
    if (view.length === 0) return [];
    let [sum, n] = [0, 0];
    for (let i = at; i < at + WINDOW; i++) {
      if (Number.isNaN(view[i])) continue;
      sum += view[i];
      n++;
    }
    return n >= LEAST_SAMPLES ? [{ view, mean: sum / n }] : [];
  });
}

/** Mean squared difference to the views' mean, each view's light taken off; differences are clipped. */
function varianceAt(views: readonly View[], at: number, unit: number): number {
  const seen = seenAt(views, at);
  if (seen.length < 2) return NaN;
  let [total, terms] = [0, 0];
  for (let i = at; i < at + WINDOW; i++) {
    let [sum, n] = [0, 0];
    for (const { view, mean } of seen) {
      if (Number.isNaN(view[i])) continue;
      sum += view[i] - mean;
      n++;
    }
    if (n < 2) continue;
    for (const { view, mean } of seen) {
      if (Number.isNaN(view[i])) continue;
      const d = Math.min(CLIP * unit, Math.abs(view[i] - mean - sum / n));
      total += (d * d) / (n - 1);
    }
    terms++;
  }
  return terms === 0 ? NaN : total / terms;
}

/**
 * Mean squared difference to the views' median, of the views that differ least: before the others something nearer may stand. Where they
 * agree about something plain, more of them are asked. A little less exact than {@link varianceAt} where nothing is hidden.
 */
export function unhiddenAt(views: readonly View[], at: number, unit: number): { variance: number; plain: boolean } {
  const { misfits, plain } = misfitsAt(views, at, unit);
  const wide = plain ? WIDE_COUNTS * leastMean(misfits, WIDE_SHARE) : 0;
  return { variance: leastMean(misfits, BELIEVED_SHARE) + wide, plain };
}

/** What most views show of a window: the median of each sample, NaN where fewer than two show it. */
export function medianOfViews(views: readonly View[], at: number): Float64Array {
  const seen = seenAt(views, at);
  const values = new Float64Array(seen.length);
  const out = new Float64Array(WINDOW).fill(NaN);
  for (let i = 0; i < WINDOW; i++) {
    let n = 0;
    for (const { view } of seen) if (!Number.isNaN(view[at + i])) values[n++] = view[at + i];
    if (n > 1) out[i] = medianOfFirst(values, n);
  }
  return out;
}

/** Mean of a share of some misfits, the smallest of them, and of two at least; NaN if there are fewer. */
function leastMean(misfits: readonly number[], share: number): number {
  const least = misfits.slice(0, Math.max(2, Math.ceil(share * misfits.length)));
  return least.length < 2 ? NaN : least.reduce((sum, v) => sum + v, 0) / least.length;
}

/** How far each view of a window is from the median of all, mean squares in ascending order, and whether that is plain. */
function misfitsAt(views: readonly View[], at: number, unit: number): { misfits: number[]; plain: boolean } {
  const seen = seenAt(views, at);
  const off = seen.map(() => ({ sum: 0, n: 0 }));
  const values = new Float64Array(seen.length);
  let [total, squares, known] = [0, 0, 0];
  for (let i = at; i < at + WINDOW; i++) {
    let n = 0;
    for (const { view, mean } of seen) if (!Number.isNaN(view[i])) values[n++] = view[i] - mean;
    if (n < 2) continue;
    const middle = medianOfFirst(values, n);
    total += middle;
    squares += middle * middle;
    known++;
    for (let k = 0; k < seen.length; k++) {
      const { view, mean } = seen[k];
      if (Number.isNaN(view[i])) continue;
      const d = Math.min(CLIP * unit, Math.abs(view[i] - mean - middle));
      off[k].sum += d * d;
      off[k].n++;
    }
  }
  const misfits = off.flatMap(({ sum, n }) => (n > 0 ? [sum / n] : [])).sort((a, b) => a - b);
  return { misfits, plain: known === 0 || squares / known - (total / known) ** 2 < (PLAIN * unit) ** 2 };
}
