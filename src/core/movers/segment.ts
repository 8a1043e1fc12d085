import type { Kernels } from '../../kernels/index.ts';
import { components } from '../image/components.ts';
import { UNKNOWN } from './evidence.ts';
import { mediansAround } from './mediansAround.ts';
import { patchOf, type MaskPatch } from './maskPatch.ts';
import { spreadSeeds } from './spreadSeeds.ts';

/** Side of the cells over which the usual unlikeness of a frame is measured, px. */
const CELL = 24;
/** Cells on each side that take part in it: far enough around that a mover is the smaller part; and close by. */
const REACH = 3;
const CLOSE_REACH = 1;
/** What is close by counts up to this many times what is usual farther around: more may be the mover itself. */
const CLOSE_TIMES = 2.5;
/** The share of px around that are at most as unlike as "usual". */
const USUAL_RANK = 0.6;
/** Least usual unlikeness: nine px of thirteen of the 4095 levels (grain, rounding). */
const FLOOR = 120;
/** Every so many px, each way, one is looked at; and of a cell, how many must be known. */
const SAMPLED = 4;
const LEAST_SAMPLES = 8;
/** At the frame's border nothing is measured this far in, px: there goes on what is beside it. */
const RING = 2;
/** How many times the usual makes a px one that surely moves, and one that moves if it touches such. */
const SURE_TIMES = 9;
const MAYBE_TIMES = 4.2;
/** What lies farther from it than that may be a part of it, from this many times on. */
const LIKELY_TIMES = 6;
const [MAYBE, LIKELY, SURE] = [1, 2, 3];
/** Holes and gaps up to this are closed, px. */
const CLOSE_PX = 2;
/** Least size of a region, and of the sure part of it, px. */
const LEAST_PX = 20;
const LEAST_SURE_PX = 6;

/** What moves in a frame. */
export interface Moving {
  /** What surely moves, with what may move around it. */
  regions: MaskPatch[];
  /** What is unlike enough, and lies too far from anything that surely moves: thin parts of it, perhaps. */
  loose: MaskPatch[];
}

/**
 * Parts of a frame that do not fit to what the others show, from {@link unlikenessOf}: what surely moves, with what may
 * move around it, as far as suits its size. Faint shade that lies between two people makes no one of them.
 */
export function movingRegions(kernels: Kernels, cost: Uint16Array, w: number, h: number): Moving {
  const level = levels(cost, w, h);
  const [sure, likely, domain] = [SURE, LIKELY, MAYBE].map((least) => closed(kernels, level, least, w, h));
  const seeds = components(sure, w, h).filter((px) => px.filter((i) => level[i] === SURE).length >= LEAST_SURE_PX);
  const spread = spreadSeeds(domain, seeds, w, h);
  for (const px of spread) for (const i of px) likely[i] = 0;
  const large = (parts: readonly (readonly number[])[]): MaskPatch[] =>
    parts.filter((px) => px.length >= LEAST_PX).map((px) => patchOf(px, w));
  return { regions: large(spread), loose: large(components(likely, w, h)) };
}

/** SURE, LIKELY, MAYBE (moves if it touches such), or 0 where it fits. */
function levels(cost: Uint16Array, w: number, h: number): Uint8Array {
  const times = timesUsual(cost, w, h);
  // What may move says nothing of what is usual: a thing that fills its surroundings would hide its own thin parts. Nothing
  // becomes sure by that, or shade that two people share would make one of them.
  const usual = usualUnlikeness(cost, w, h, (i) => times[i] <= MAYBE_TIMES);
  const more = timesOf(cost, usual, w, h);
  const out = new Uint8Array(w * h);
  for (let i = 0; i < out.length; i++) {
    out[i] = times[i] > SURE_TIMES ? SURE : more[i] > LIKELY_TIMES ? LIKELY : more[i] > MAYBE_TIMES ? MAYBE : 0;
  }
  extendToBorder(out, w, h);
  return out;
}

/** How many times as unlike as usual around each px is, from {@link unlikenessOf}; NaN where nothing is known. */
export function timesUsual(cost: Uint16Array, w: number, h: number): Float32Array {
  const usual = usualUnlikeness(cost, w, h, (i) => cost[i] !== UNKNOWN);
  return timesOf(cost, usual, w, h);
}

/** @param usual - Per cell. */
function timesOf(cost: Uint16Array, usual: Float32Array, w: number, h: number): Float32Array {
  const cols = Math.ceil(w / CELL);
  const rows = Math.ceil(h / CELL);
  const out = new Float32Array(w * h);
  const line = new Float64Array(cols);
  // Between the middles of cells: which one lies left of a px, and how far it is.
  const cell = Uint16Array.from({ length: w }, (_, x) => cellBefore(x, cols));
  const way = Float64Array.from(cell, (c, x) => Math.max(0, Math.min(cols - 1, (x + 0.5) / CELL - 0.5)) - c);
  for (let y = 0; y < h; y++) {
    const r = cellBefore(y, rows);
    const below = Math.min(rows - 1, r + 1);
    const part = Math.max(0, Math.min(rows - 1, (y + 0.5) / CELL - 0.5)) - r;
    for (let c = 0; c < cols; c++) line[c] = usual[r * cols + c] * (1 - part) + usual[below * cols + c] * part;
    for (let x = 0, i = y * w; x < w; x++, i++) {
      const c = cell[x];
      const beside = c + 1 < cols ? c + 1 : c;
      out[i] = cost[i] === UNKNOWN ? NaN : cost[i] / (line[c] * (1 - way[x]) + line[beside] * way[x]);
    }
  }
  return out;
}

/** The last cell whose middle lies before a px, or the first one. */
const cellBefore = (px: number, cells: number): number =>
  Math.floor(Math.max(0, Math.min(cells - 1, (px + 0.5) / CELL - 0.5)));

/** The outermost px, which nothing is known of, are as those beside them. */
function extendToBorder(level: Uint8Array, w: number, h: number): void {
  for (let y = RING; y < h - RING; y++) {
    level.fill(level[y * w + RING], y * w, y * w + RING);
    level.fill(level[(y + 1) * w - 1 - RING], (y + 1) * w - RING, (y + 1) * w);
  }
  for (let k = 0; k < RING; k++) {
    level.copyWithin(k * w, RING * w, (RING + 1) * w);
    level.copyWithin((h - 1 - k) * w, (h - 1 - RING) * w, (h - RING) * w);
  }
}

/**
 * What a region's surroundings differ by without moving: grain, registration, leaves in the wind. Per cell.
 * @param counts - Whether a px, given by its index, is one to measure.
 */
function usualUnlikeness(cost: Uint16Array, w: number, h: number, counts: (i: number) => boolean): Float32Array {
  const cols = Math.ceil(w / CELL);
  const rows = Math.ceil(h / CELL);
  const rank = new Float32Array(cols * rows);
  // Every fourth px both ways is enough for a rank.
  const samples = new Uint16Array((CELL / SAMPLED) ** 2);
  for (let r = 0; r < rows; r++) {
    for (let c = 0; c < cols; c++) {
      let n = 0;
      for (let y = r * CELL + RING; y < Math.min(h, (r + 1) * CELL); y += SAMPLED) {
        for (let x = c * CELL + RING; x < Math.min(w, (c + 1) * CELL); x += SAMPLED) {
          if (counts(y * w + x)) samples[n++] = cost[y * w + x];
        }
      }
      rank[r * cols + c] = n < LEAST_SAMPLES ? NaN : samples.subarray(0, n).sort()[Math.floor(n * USUAL_RANK)];
    }
  }
  const wide = mediansAround(rank, cols, rows, REACH);
  const close = mediansAround(rank, cols, rows, CLOSE_REACH);
  return wide.map((v, i) => Math.max(FLOOR, v, Math.min(close[i], v * CLOSE_TIMES)));
}

/**
 * 1 where a level is at least so high, with holes and gaps of up to twice CLOSE_PX closed (dilation, then erosion, by a square); the
 * frame's border holds.
 */
function closed(kernels: Kernels, level: Uint8Array, least: number, w: number, h: number): Uint8Array {
  return kernels.scoped(() => {
    const [mask, wide, work] = [0, 1, 2].map(() => kernels.alloc(w * h));
    const [px, grown] = [kernels.u8(mask, w * h), kernels.u8(wide, w * h)];
    for (let i = 0; i < px.length; i++) px[i] = level[i] >= least ? 1 : 0;
    kernels.run.dilate(mask, w, h, CLOSE_PX, wide, work);
    // What is left out, dilated, is what erosion takes away.
    for (let i = 0; i < px.length; i++) px[i] = 1 - grown[i];
    kernels.run.dilate(mask, w, h, CLOSE_PX, wide, work);
    for (let i = 0; i < px.length; i++) px[i] = 1 - grown[i];
    return px.slice();
  });
}
