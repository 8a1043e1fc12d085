import type { Kernels } from '../../kernels/index.ts';
import type { BlockedAt } from '../motion/links.ts';
import type { Pyramids } from '../motion/pyramids.ts';
import { median } from '../geometry/linear.ts';
import { neighbours } from './holeParts.ts';

/** Places of a frame, on one surface, in a source frame; false if that is not known. */
export type PlaceIn = (source: number, points: Float32Array) => boolean;

/** Samples across a tile's window, and how far apart, frame px: the window reaches a little beyond the tile. */
const ACROSS = 6;
const SPACING = 4;
/** Samples of a window. */
export const WINDOW = ACROSS * ACROSS;
/** Sources asked at most, and samples that one must show of a window. */
const MOST_SOURCES = 10;
const LEAST_SAMPLES = WINDOW * 0.7;
/** Share of the frames that show a window which are believed: before the others somebody may pass. */
const BELIEVED_SHARE = 0.5;
/** Differences count up to this, 16-bit-pyramid levels of an 8-bit one. */
const CLIP = 18;
/** What a surface costs that is not seen, in usual costs, and the share of the largest cost below which another one is known to be right. */
const UNSEEN_COST = 1.5;
const TOLD_BY = 0.4;
/**
 * What the frame itself shows around a tile: how far apart its samples are, frame px, how many it must show, and by how many 8-bit levels
 * the light of the sources may differ.
 */
const WIDE_SPACING = 8;
const LEAST_OWN = 8;
const LIGHT = 6;
/** Frames that disagree by less about how far two surfaces are apart do not tell which of them it is, analysis px. */
const TELLING = 3;
/** Price of a border between two surfaces, in variances of a window. */
const BORDER_PRICE = 5;
const SWEEPS = 6;

/** Sources that differ about a tile by more, 8-bit levels (rms), do not agree. */
const POOR = 6;

export interface TileWindow {
  /** Index of the tile. */
  tile: number;
  /** Corner of the tile, frame px. */
  x: number;
  y: number;
}

/** The frames that are asked about a place of one of them, and where their pictures are. */
export interface Witnesses {
  kernels: Kernels;
  pyramids: Pyramids;
  blocked: BlockedAt;
  /** Whose tiles they are. */
  frame: number;
  sources: readonly number[];
  tileSide: number;
  /** Levels of the pyramids per 8-bit level. */
  unit: number;
}

/**
 * Which of several surfaces lies behind each tile: the one under which the frames that see the place agree about it
 * (photo-consistency, Kutulakos & Seitz 2000), with a price on borders (iterated conditional modes, Besag 1986).
 *
 * @param surfaces - By the places that lie on them.
 * @param cols, rows - Of the grid that the tiles are from.
 * @returns Per tile the number of its surface.
 */
export function chooseSurfaces(
  seen: Witnesses,
  surfaces: readonly PlaceIn[],
  tiles: readonly TileWindow[],
  cols: number,
  rows: number,
): Uint8Array {
  const views = surfaces.map((place) => viewsOn(seen, place, tiles));
  const measured = views.map((v) =>
    Float64Array.from(tiles, (_, t) => unhiddenVarianceAt(v, t * WINDOW, seen.unit, 2)),
  );
  const costs = measured.map((own, k) =>
    own.map((cost, t) =>
      measured.some((c, b) => Number.isNaN(c[t]) && tellsNothing(views[k], views[b], t, seen)) ? NaN : cost,
    ),
  );
  const usual = usualCost(costs);
  const unseen = tiles.map((_, t) => costUnseen(costs.map((c) => c[t] / usual)));
  const beside = besideCosts(seen, surfaces, tiles, costs);
  const data = costs.map((c, k) =>
    c.map((v, t) => ((Number.isNaN(v) ? unseen[t] : v / usual) + beside[k][t] / usual) * (WINDOW / 4)),
  );
  return settle(data, tiles, cols, rows);
}

/**
 * How far what the sources show around each tile on a surface is from what the frame itself shows there. Sources agree about a sky wherever
 * it is laid; behind a cable hardly a window is hidden as a whole, and what lies beside it tells.
 */
function besideCosts(
  seen: Witnesses,
  surfaces: readonly PlaceIn[],
  tiles: readonly TileWindow[],
  costs: readonly Float64Array[],
): Float64Array[] {
  const { frame, tileSide } = seen;
  const own = sampled(seen, frame, windowsIn(tileCorners(tiles, tileSide), tileSide, WIDE_SPACING));
  const asked = [...tiles.keys()].filter((t) => countIn(own, t * WINDOW) >= LEAST_OWN);
  const some = asked.map((t) => tiles[t]);
  const sources = spreadSources(seen);
  const out = surfaces.map((place) => {
    const views = viewsOn(seen, place, some, sources, WIDE_SPACING).flatMap(({ samples }) =>
      samples.length > 0 ? [samples] : [],
    );
    const of = new Float64Array(tiles.length);
    asked.forEach((t, i) => (of[t] = misfit(own, t * WINDOW, views, i * WINDOW, seen.unit)));
    return of;
  });
  // What is not known of a surface is taken to be as it is of the one that costs least.
  for (const t of asked) {
    const known = [...out.keys()].filter((k) => !Number.isNaN(out[k][t]));
    const like = known.sort((a, b) => orInfinity(costs[a][t]) - orInfinity(costs[b][t]))[0];
    for (const of of out) if (Number.isNaN(of[t])) of[t] = like === undefined ? 0 : out[like][t];
  }
  return out;
}

/** Squared difference of a window of the frame and the median of what the sources show, by the share of it that is known; NaN if too little is. */
function misfit(own: Float32Array, at: number, views: readonly Float32Array[], there: number, unit: number): number {
  const off: number[] = [];
  for (let i = 0; i < WINDOW; i++) {
    if (Number.isNaN(own[at + i])) continue;
    const known = views.map((view) => view[there + i]).filter((v) => !Number.isNaN(v));
    if (known.length > 1) off.push(own[at + i] - median(known));
  }
  if (off.length < LEAST_OWN) return NaN;
  const light = clamp(off.reduce((sum, v) => sum + v, 0) / off.length, LIGHT * unit);
  return off.reduce((sum, v) => sum + Math.min(CLIP * unit, Math.abs(v - light)) ** 2, 0) / WINDOW;
}

const clamp = (v: number, most: number): number => Math.max(-most, Math.min(most, v));

/**
 * Whether the frames that show a tile on one surface would agree about it on another one too, on which none shows it: those that see it go
 * the same way from the one to the other. (Ground in a shadow that never leaves its place is hidden in all; what a few frames show
 * elsewhere is not behind it.)
 */
function tellsNothing(one: readonly View[], other: readonly View[], tile: number, { pyramids }: Witnesses): boolean {
  const at = tile * 8;
  let [left, right, top, bottom] = [Infinity, -Infinity, Infinity, -Infinity];
  one.forEach(({ samples, corners }, k) => {
    if (!shows(samples, tile * WINDOW) || other[k].samples.length === 0) return;
    const [dx, dy] = [corners[at] - other[k].corners[at], corners[at + 1] - other[k].corners[at + 1]];
    [left, right, top, bottom] = [Math.min(left, dx), Math.max(right, dx), Math.min(top, dy), Math.max(bottom, dy)];
  });
  return Math.hypot(right - left, bottom - top) < TELLING * pyramids.scale;
}

/**
 * What it costs to put a tile on a surface on which no two frames show it, in usual costs: little, for what is behind may well be hidden
 * everywhere; more than on another surface, if the frames agree far better about that one than about the others. (What is to go moves like
 * a surface, too, on which everything is hidden.)
 */
function costUnseen(costs: readonly number[]): number {
  const known = costs.filter((v) => !Number.isNaN(v));
  const least = Math.min(...known);
  return least < TOLD_BY * Math.max(...known) ? Math.max(UNSEEN_COST, UNSEEN_COST * least) : UNSEEN_COST;
}

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

/** Corners of all tiles in a frame, interleaved x, y, px, and what it shows of their windows; without samples where it is not known. */
interface View {
  corners: Float32Array;
  samples: Float32Array;
}

/**
 * What frames show of tiles on a surface: those that are asked, if no others are given. The frame's own picture is a witness too, where it
 * is not hidden: on the rim.
 */
function viewsOn(
  seen: Witnesses,
  place: PlaceIn,
  tiles: readonly TileWindow[],
  frames: readonly number[] = [seen.frame, ...spreadSources(seen)],
  spacing = SPACING,
): View[] {
  const { frame, tileSide } = seen;
  const from = tileCorners(tiles, tileSide);
  return frames.map((s) => {
    const corners = from.slice();
    const known = s === frame || place(s, corners);
    return { corners, samples: known ? sampled(seen, s, windowsIn(corners, tileSide, spacing)) : new Float32Array(0) };
  });
}

/** The sources nearest in time would hardly differ between surfaces: they are taken spread over all. */
export function spreadSources({ sources, frame }: Witnesses): number[] {
  const others = sources.filter((s) => s !== frame);
  const step = Math.max(1, others.length / MOST_SOURCES);
  return Array.from({ length: Math.min(MOST_SOURCES, others.length) }, (_, k) => others[Math.floor(k * step)]);
}

/** Sample places of each tile's window, {@link WINDOW} a tile, interleaved x, y, frame px. */
export const tileWindows = (tiles: readonly TileWindow[], side: number): Float32Array =>
  windowsIn(tileCorners(tiles, side), side);

/** Four corners per tile, interleaved x, y. */
function tileCorners(tiles: readonly TileWindow[], side: number): Float32Array {
  return Float32Array.from(tiles.flatMap(({ x, y }) => [x, y, x + side, y, x, y + side, x + side, y + side]));
}

/** Sample places of each tile's window from the places of its corners. */
function windowsIn(corners: Float32Array, side: number, spacing = SPACING): Float32Array {
  const out = new Float32Array((corners.length / 8) * WINDOW * 2);
  const first = (side - (ACROSS - 1) * spacing) / 2;
  let at = 0;
  for (let c = 0; c < corners.length; c += 8) {
    for (let j = 0; j < ACROSS; j++) {
      const v = (first + j * spacing) / side;
      for (let i = 0; i < ACROSS; i++) {
        const u = (first + i * spacing) / side;
        const a = (1 - u) * (1 - v);
        const b = u * (1 - v);
        const d = (1 - u) * v;
        for (let k = 0; k < 2; k++) {
          out[at++] = a * corners[c + k] + b * corners[c + 2 + k] + d * corners[c + 4 + k] + u * v * corners[c + 6 + k];
        }
      }
    }
  }
  return out;
}

/** Luma at places of a frame; NaN where it is hidden or out of view. */
export function sampled(
  { kernels, pyramids, blocked }: Pick<Witnesses, 'kernels' | 'pyramids' | 'blocked'>,
  frame: number,
  places: Float32Array,
): Float32Array {
  const [level] = pyramids.get(frame);
  const k = pyramids.scale;
  const out = new Float32Array(places.length / 2).fill(NaN);
  const local = new Float32Array(places.length);
  const numbers = new Int32Array(out.length);
  const [right, bottom] = [level.width - 2, level.height - 2];
  // Only what is in view and free is sampled: of a wide window that may be little.
  let n = 0;
  for (let i = 0; i < out.length; i++) {
    const x = Math.fround(places[2 * i] / k);
    const y = Math.fround(places[2 * i + 1] / k);
    const inside = x >= 1 && y >= 1 && x < right && y < bottom;
    if (!inside || blocked(frame, places[2 * i], places[2 * i + 1])) continue;
    local[2 * n] = x;
    local[2 * n + 1] = y;
    numbers[n++] = i;
  }
  kernels.scoped(() => {
    const at = kernels.alloc(n * 4);
    const points = kernels.put(local.subarray(0, 2 * n));
    kernels.run.warpPoints(level.at, level.width, level.width, level.height, points, n, at);
    const values = kernels.f32(at, n);
    for (let j = 0; j < n; j++) out[numbers[j]] = values[j];
  });
  return out;
}

/** What a frame shows of a window, and the mean of that. */
interface Seen {
  view: Float32Array;
  mean: number;
}

/** Whether a frame shows enough of the window at `at`. */
const shows = (samples: Float32Array, at: number): boolean => countIn(samples, at) >= LEAST_SAMPLES;

function countIn(samples: Float32Array, at: number): number {
  let n = 0;
  for (let i = at; i < Math.min(samples.length, at + WINDOW); i++) if (!Number.isNaN(samples[i])) n++;
  return n;
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
function unhiddenVarianceAt(views: readonly View[], at: number, unit: number, least: number): number {
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

const orInfinity = (cost: number): number => (Number.isNaN(cost) ? Infinity : cost);

/** Typical cost of the best surface: what noise alone makes. */
function usualCost(costs: readonly Float64Array[]): number {
  const best = Array.from(costs[0], (_, t) => Math.min(...costs.map((c) => orInfinity(c[t]))))
    .filter((v) => v < Infinity)
    .sort((a, b) => a - b);
  return best.length === 0 ? 1 : Math.max(1e-6, best[best.length >> 1]);
}

function settle(data: readonly Float64Array[], tiles: readonly TileWindow[], cols: number, rows: number): Uint8Array {
  const index = new Map(tiles.map(({ tile }, k) => [tile, k]));
  const around = tiles.map(({ tile }) => neighbours(tile, cols, rows).flatMap((n) => index.get(n) ?? []));
  const out = spreadFromTold(
    tiles.map((_, t) => cheapest(data, t)),
    around,
  );
  for (let sweep = 0; sweep < SWEEPS; sweep++) {
    let changed = false;
    for (let t = 0; t < out.length; t++) {
      const price = (k: number): number =>
        data[k][t] + BORDER_PRICE * around[t].reduce((sum, n) => sum + (out[n] === k ? 0 : 1), 0);
      let best = out[t];
      for (let k = 0; k < data.length; k++) if (price(k) < price(best)) best = k;
      changed ||= best !== out[t];
      out[t] = best;
    }
    if (!changed) break;
  }
  return out;
}

/** The surface that costs least; undefined where several do: nothing tells on which of them the tile is hidden. */
function cheapest(data: readonly Float64Array[], t: number): number | undefined {
  const least = Math.min(...data.map((c) => c[t]));
  const best = data.flatMap((c, k) => (c[t] === least ? [k] : []));
  return best.length === 1 ? best[0] : undefined;
}

/** Gives tiles of which nothing tells what most of their neighbours have, those next to others first. */
function spreadFromTold(told: (number | undefined)[], around: readonly number[][]): Uint8Array {
  let now = told;
  for (let open = true; open;) {
    const next = now.map((own, t) => own ?? mostOf(around[t].flatMap((n) => now[n] ?? [])));
    open = next.some((v, t) => v !== now[t]);
    now = next;
  }
  return Uint8Array.from(now, (v) => v ?? 0);
}

function mostOf(values: readonly number[]): number | undefined {
  const times = (v: number): number => values.filter((one) => one === v).length;
  return values.length === 0 ? undefined : values.reduce((best, v) => (times(v) > times(best) ? v : best));
}
