import { components } from '../image/components.ts';
import { UNKNOWN } from './evidence.ts';
import { mediansAround } from './mediansAround.ts';
import { areaOf, at, patchOf, type MaskPatch } from './maskPatch.ts';
import { bytesOf } from '../image/mapped.ts';

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
/** At the frame's border nothing is measured this far in, px: there goes on what is beside it. */
const RING = 2;
/** How many times the usual makes a px one that surely moves, and one that moves if it touches such. */
const SURE_TIMES = 9;
const MAYBE_TIMES = 4.2;
/** Holes and gaps up to this are closed, px. */
const CLOSE_PX = 2;
/** Least size of a region, and of the sure part of it, px. */
const LEAST_PX = 20;
const LEAST_SURE_PX = 6;

/** Regions of a frame that do not fit to what the others show, from {@link unlikenessOf}. */
export function movingRegions(cost: Uint16Array, w: number, h: number): MaskPatch[] {
  const level = levels(cost, w, h);
  const out: MaskPatch[] = [];
  for (const pixels of components(widened(level, w, h), w, h)) {
    const region = shrunk(patchOf(pixels, w), w, h);
    const sure = pixels.reduce((n, i) => n + (level[i] === 2 ? 1 : 0), 0);
    if (sure >= LEAST_SURE_PX && areaOf(region) >= LEAST_PX) out.push(region);
  }
  return out;
}

/** 2 surely moves, 1 moves if it touches such, 0 fits. */
function levels(cost: Uint16Array, w: number, h: number): Uint8Array {
  const times = timesUsual(cost, w, h);
  const out = bytesOf(times, (n) => (n > SURE_TIMES ? 2 : n > MAYBE_TIMES ? 1 : 0));
  extendToBorder(out, w, h);
  return out;
}

/** How many times as unlike as usual around each px is, from {@link unlikenessOf}; NaN where nothing is known. */
export function timesUsual(cost: Uint16Array, w: number, h: number): Float32Array {
  const usual = usualUnlikeness(cost, w, h);
  const cols = Math.ceil(w / CELL);
  const rows = Math.ceil(h / CELL);
  const out = new Float32Array(w * h);
  for (let y = 0; y < h; y++) {
    const v = Math.max(0, Math.min(rows - 1, (y + 0.5) / CELL - 0.5));
    const [r, below] = [Math.floor(v), Math.min(rows - 1, Math.floor(v) + 1)];
    const fv = v - r;
    for (let i = y * w; i < (y + 1) * w; i++) {
      if (cost[i] === UNKNOWN) {
        out[i] = NaN;
        continue;
      }
      const u = Math.max(0, Math.min(cols - 1, (i - y * w + 0.5) / CELL - 0.5));
      const a = Math.floor(u);
      const beside = Math.min(cols - 1, a + 1);
      const fu = u - a;
      const upper = usual[r * cols + a] * (1 - fu) + usual[r * cols + beside] * fu;
      const lower = usual[below * cols + a] * (1 - fu) + usual[below * cols + beside] * fu;
      out[i] = cost[i] / (upper * (1 - fv) + lower * fv);
    }
  }
  return out;
}

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

/** What a region's surroundings differ by without moving: grain, registration, leaves in the wind. Per cell. */
function usualUnlikeness(cost: Uint16Array, w: number, h: number): Float32Array {
  const cols = Math.ceil(w / CELL);
  const rows = Math.ceil(h / CELL);
  // Every fourth px both ways is enough for a rank.
  const samples: number[][] = Array.from({ length: cols * rows }, () => []);
  for (let y = RING; y < h; y += 4) {
    for (let x = RING; x < w; x += 4) {
      const c = cost[y * w + x];
      if (c !== UNKNOWN) samples[Math.floor(y / CELL) * cols + Math.floor(x / CELL)].push(c);
    }
  }
  const rank = samples.map((s) => {
    s.sort((a, b) => a - b);
    return s.length < 8 ? NaN : s[Math.floor(s.length * USUAL_RANK)];
  });
  const wide = mediansAround(rank, cols, rows, REACH);
  const close = mediansAround(rank, cols, rows, CLOSE_REACH);
  return wide.map((v, i) => Math.max(FLOOR, v, Math.min(close[i], v * CLOSE_TIMES)));
}

/** 1 where anything moves within a square of CLOSE_PX. */
function widened(level: Uint8Array, w: number, h: number): Uint8Array {
  const across = new Uint8Array(w * h);
  const out = new Uint8Array(w * h);
  for (let y = 0; y < h; y++) {
    for (let i = y * w; i < (y + 1) * w; i++) {
      if (level[i]) across.fill(1, Math.max(y * w, i - CLOSE_PX), Math.min((y + 1) * w, i + CLOSE_PX + 1));
    }
  }
  for (let i = 0; i < out.length; i++) {
    if (!across[i]) continue;
    for (let k = -CLOSE_PX; k <= CLOSE_PX; k++) out[i + k * w] = 1;
  }
  return out;
}

/** Takes away what {@link widened} added around a region, which keeps the gaps that it closed; the frame's border holds. */
function shrunk(p: MaskPatch, w: number, h: number): MaskPatch {
  const r = CLOSE_PX;
  const outside = (x: number, y: number): boolean => x >= 0 && y >= 0 && x < w && y < h && at(p, x, y) === 0;
  const data = p.data.slice();
  for (let v = -1; v <= p.height; v++) {
    for (let u = -1; u <= p.width; u++) {
      if (!outside(p.x + u, p.y + v)) continue;
      for (let b = Math.max(0, v - r); b <= Math.min(p.height - 1, v + r); b++) {
        data.fill(0, b * p.width + Math.max(0, u - r), b * p.width + Math.max(0, Math.min(p.width, u + r + 1)));
      }
    }
  }
  return { ...p, data };
}
