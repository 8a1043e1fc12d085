import { median, medianOfFirst } from '../geometry/linear.ts';
import { CLIP, medianOfViews, unhiddenAt } from './agreement.ts';
import { neighbours } from './holeParts.ts';
import {
  countIn,
  shows,
  spreadSources,
  tileCorners,
  viewsOn,
  WINDOW,
  windowsOf,
  type PlaceIn,
  type TileWindow,
  type View,
  type Witnesses,
} from './tileWindows.ts';

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
/**
 * Frames agree about detail below so many usual costs, or below such a share of its own variance: of what has a strong edge a fraction of a px makes more than
 * noise does. What is plain is also beside it if so much of a window differs from that by fewer 8-bit levels; it then costs so many usual costs more
 * than the detail does.
 */
const AGREED = 2;
const AGREED_SHARE = 0.05;
const HELD = 0.15;
const SAME_LEVELS = 6;
const PLAIN_DUE = 0.5;
/** Price of a border between two surfaces, in variances of a window. */
const BORDER_PRICE = 5;
const SWEEPS = 6;

/** What frames show of some tiles on one surface. */
export interface Shown {
  views: readonly View[];
  /** How far they disagree about each tile; NaN where too few see it. */
  variance: Float64Array;
  /** 1 for the tiles about which what they agree on is plain. */
  plain: Uint8Array;
  /** How far what they show around each is from what the frame itself shows there; NaN where that is not known, 0 where it shows too little. */
  beside: Float64Array;
}

/** Tiles behind which several surfaces may lie, and what is known of them on each that is tried. */
export class TriedTiles {
  /** What the frame itself shows around each tile, and the numbers of those around which it shows enough. */
  private readonly own: Float32Array;
  private readonly asked: readonly number[];

  constructor(
    private readonly seen: Witnesses,
    private readonly tiles: readonly TileWindow[],
  ) {
    const { frame, tileSide } = seen;
    this.own = windowsOf(seen, frame, tileCorners(tiles, tileSide), tileSide, WIDE_SPACING);
    this.asked = [...tiles.keys()].filter((t) => countIn(this.own, t * WINDOW) >= LEAST_OWN);
  }

  /** What frames show on a surface, by the places that lie on it. */
  on(place: PlaceIn): Shown {
    const { seen, tiles } = this;
    const views = viewsOn(seen, place, tiles);
    const agreed = tiles.map((_, t) => unhiddenAt(views, t * WINDOW, seen.unit));
    const variance = Float64Array.from(agreed, (a) => a.variance);
    const plain = Uint8Array.from(agreed, (a) => (a.plain ? 1 : 0));
    return { views, variance, plain, beside: this.besideOn(place) };
  }

  /** Sources agree about a sky wherever it is laid; behind a cable hardly a window is hidden as a whole, and what lies beside it tells. */
  private besideOn(place: PlaceIn): Float64Array {
    const { seen, tiles, own, asked } = this;
    const some = asked.map((t) => tiles[t]);
    const views = viewsOn(seen, place, some, spreadSources(seen), WIDE_SPACING).flatMap(({ samples }) =>
      samples.length > 0 ? [samples] : [],
    );
    const out = new Float64Array(tiles.length);
    asked.forEach((t, i) => (out[t] = misfit(own, t * WINDOW, views, i * WINDOW, seen.unit)));
    return out;
  }

  /**
   * Which of several surfaces lies behind each tile: the one under which the frames that see the place agree about it
   * (photo-consistency, Kutulakos & Seitz 2000), with a price on borders (iterated conditional modes, Besag 1986).
   *
   * @param surfaces - What is known on each.
   * @param cols, rows - Of the grid that the tiles are from.
   * @returns Per tile the number of its surface.
   */
  choose(surfaces: readonly Shown[], cols: number, rows: number): Uint8Array {
    const { tiles, seen } = this;
    const costs = surfaces.map(({ variance, views }) =>
      variance.map((cost, t) =>
        surfaces.some((other) => Number.isNaN(other.variance[t]) && tellsNothing(views, other.views, t, seen))
          ? NaN
          : cost,
      ),
    );
    const usual = usualCost(costs);
    const unseen = tiles.map((_, t) => costUnseen(costs.map((c) => c[t] / usual)));
    const beside = this.besideCosts(surfaces, costs);
    const plain = this.plainCosts(surfaces, costs, usual);
    const data = costs.map((c, k) =>
      c.map(
        (v, t) => ((Number.isNaN(v) ? unseen[t] : v / usual) + (beside[k][t] + plain[k][t]) / usual) * (WINDOW / 4),
      ),
    );
    return settle(data, tiles, cols, rows);
  }

  /**
   * What it costs that frames agree about something plain: more than where they agree about detail, if that has the plain thing beside it. On the depth of
   * something nearer they show but the wall beside a door, where the door's edge is.
   */
  private plainCosts(surfaces: readonly Shown[], costs: readonly Float64Array[], usual: number): Float64Array[] {
    const out = costs.map((c) => new Float64Array(c.length));
    for (let t = 0; t < this.tiles.length; t++) {
      const shown = (k: number): Float64Array =>
        medianOfViews(surfaces[k].views, t * WINDOW).filter((v) => !Number.isNaN(v));
      const among = [...surfaces.keys()].filter((k) => !Number.isNaN(costs[k][t]));
      const flat = among.filter((k) => surfaces[k].plain[t] === 1);
      if (flat.length === 0) continue;
      const rich = among
        .filter((k) => surfaces[k].plain[t] === 0)
        .map((k) => ({ window: shown(k), cost: costs[k][t] }))
        .filter(({ window, cost }) => cost < Math.max(AGREED * usual, AGREED_SHARE * varianceOf(window)));
      for (const k of flat) {
        const level = median(shown(k));
        const like = rich.filter(({ window }) => this.holds(window, level)).map(({ cost }) => cost);
        if (like.length > 0) out[k][t] = Math.max(0, Math.min(...like) - costs[k][t]) + PLAIN_DUE * usual;
      }
    }
    return out;
  }

  /** Whether some of a window is of a level. */
  private holds(window: Float64Array, level: number): boolean {
    return window.filter((v) => Math.abs(v - level) < SAME_LEVELS * this.seen.unit).length >= HELD * WINDOW;
  }

  /** What is not known of a surface is taken to be as it is of the one that costs least. */
  private besideCosts(surfaces: readonly Shown[], costs: readonly Float64Array[]): Float64Array[] {
    const out = surfaces.map(({ beside }) => beside.slice());
    for (const t of this.asked) {
      const known = [...out.keys()].filter((k) => !Number.isNaN(out[k][t]));
      const like = known.sort((a, b) => orInfinity(costs[a][t]) - orInfinity(costs[b][t]))[0];
      for (const of of out) if (Number.isNaN(of[t])) of[t] = like === undefined ? 0 : out[like][t];
    }
    return out;
  }
}

/** Squared difference of a window of the frame and the median of what the sources show, by the share of it that is known; NaN if too little is. */
function misfit(own: Float32Array, at: number, views: readonly Float32Array[], there: number, unit: number): number {
  const off: number[] = [];
  const known = new Float64Array(views.length);
  for (let i = 0; i < WINDOW; i++) {
    if (Number.isNaN(own[at + i])) continue;
    let n = 0;
    for (const view of views) if (!Number.isNaN(view[there + i])) known[n++] = view[there + i];
    if (n > 1) off.push(own[at + i] - medianOfFirst(known, n));
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

function varianceOf(values: Float64Array): number {
  const mean = values.reduce((sum, v) => sum + v, 0) / values.length;
  return values.reduce((sum, v) => sum + (v - mean) ** 2, 0) / values.length;
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
