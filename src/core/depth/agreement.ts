import { median } from '../geometry/linear.ts';
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
/** Differences count up to this, 16-bit-pyramid levels of an 8-bit one. */
export const CLIP = 18;
/** Sources that differ about a tile by more, 8-bit levels (rms), do not agree. */
const POOR = 6;

/**
 * What it costs to put each tile on a surface: {@link disagreement} of the sources before which nothing seems to stand.
 * @param least - NaN where fewer frames see a tile.
 */
export const costsOn = (seen: Witnesses, place: PlaceIn, tiles: readonly TileWindow[], least = 2): Float64Array =>
  disagreement(seen, place, tiles, (views, at, unit) => unhiddenVarianceAt(views, at, unit, least));

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
 * Mean squared difference to the views' median, of the views that differ least: before the others something nearer may stand.
 * A little less exact than {@link varianceAt} where nothing does.
 */
export function unhiddenVarianceAt(views: readonly View[], at: number, unit: number, least: number): number {
  const seen = seenAt(views, at);
  if (seen.length < least) return NaN;
  const off = seen.map(() => ({ sum: 0, n: 0 }));
  const values = new Float64Array(seen.length);
  for (let i = at; i < at + WINDOW; i++) {
    let n = 0;
    for (const { view, mean } of seen) if (!Number.isNaN(view[i])) values[n++] = view[i] - mean;
    if (n < 2) continue;
    const middle = median(values.subarray(0, n));
    seen.forEach(({ view, mean }, k) => {
      if (Number.isNaN(view[i])) return;
      off[k].sum += Math.min(CLIP * unit, Math.abs(view[i] - mean - middle)) ** 2;
      off[k].n++;
    });
  }
  const misfits = off.flatMap(({ sum, n }) => (n > 0 ? [sum / n] : [])).sort((a, b) => a - b);
  const believed = misfits.slice(0, Math.max(2, Math.ceil(BELIEVED_SHARE * misfits.length)));
  return believed.length < 2 ? NaN : believed.reduce((sum, v) => sum + v, 0) / believed.length;
}
