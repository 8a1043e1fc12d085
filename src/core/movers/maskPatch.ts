import { around, grow, intersect, type Rect } from '../image/format.ts';
import { bytesOf } from '../image/mapped.ts';

/** Part of a frame's px that belong to something: 1 or 0 per px of a rectangle. */
export interface MaskPatch extends Rect {
  /** width·height, 0 or 1. */
  data: Uint8Array;
}

export function areaOf({ data }: MaskPatch): number {
  let sum = 0;
  for (const v of data) sum += v;
  return sum;
}

/** @param pixels - Indices y·w + x of a frame of width `w`; none gives an empty patch. */
export function patchOf(pixels: readonly number[], w: number): MaskPatch {
  if (pixels.length === 0) return { x: 0, y: 0, width: 0, height: 0, data: new Uint8Array(0) };
  let [x0, y0, x1, y1] = [Infinity, Infinity, -1, -1];
  for (const i of pixels) {
    const [x, y] = [i % w, Math.floor(i / w)];
    x0 = Math.min(x0, x);
    x1 = Math.max(x1, x);
    y0 = Math.min(y0, y);
    y1 = Math.max(y1, y);
  }
  const width = x1 - x0 + 1;
  const patch = { x: x0, y: y0, width, height: y1 - y0 + 1, data: new Uint8Array(width * (y1 - y0 + 1)) };
  for (const i of pixels) patch.data[(Math.floor(i / w) - y0) * width + (i % w) - x0] = 1;
  return patch;
}

export const moved = (patch: MaskPatch, dx: number, dy: number): MaskPatch => ({
  ...patch,
  x: patch.x + Math.round(dx),
  y: patch.y + Math.round(dy),
});

export function centreOf({ x, y, width, data }: MaskPatch): { x: number; y: number } {
  let [sx, sy, n] = [0, 0, 0];
  for (let i = 0; i < data.length; i++) {
    if (!data[i]) continue;
    sx += i % width;
    sy += Math.floor(i / width);
    n++;
  }
  return { x: x + sx / n, y: y + sy / n };
}

/** Px that two patches share. */
export function shared(a: MaskPatch, b: MaskPatch): number {
  const { x, y, width, height } = intersect(a, b);
  let n = 0;
  for (let v = y; v < y + height; v++) {
    const [p, q] = [(v - a.y) * a.width + x - a.x, (v - b.y) * b.width + x - b.x];
    for (let k = 0; k < width; k++) n += a.data[p + k] & b.data[q + k];
  }
  return n;
}

/** Px of a patch that have one of another within r px, across and down. */
export function sharedNear(a: MaskPatch, b: MaskPatch, r: number): number {
  const both = intersect(a, grow(b, r));
  if (both.width === 0 || both.height === 0) return 0;
  return shared(a, grown(partIn(b, grow(both, r)), r));
}

/** What of a patch lies in a rectangle. */
function partIn(p: MaskPatch, rect: Rect): MaskPatch {
  const part = intersect(p, rect);
  return { ...part, data: maskIn(p, part) };
}

/** Where a place of small frames lies in the clip: both have their px centres at whole numbers. */
export const inClip = (place: number, factor: number): number => (place + 0.5) * factor - 0.5;

/** 1 where a patch has a px, for any px of the plane. */
export const at = (p: MaskPatch, x: number, y: number): number =>
  x >= p.x && y >= p.y && x < p.x + p.width && y < p.y + p.height ? p.data[(y - p.y) * p.width + x - p.x] : 0;

/** 1 where a patch has a px, for all px of a rectangle. */
export function maskIn(p: MaskPatch, { x, y, width, height }: Rect): Uint8Array {
  const out = new Uint8Array(width * height);
  const both = intersect(p, { x, y, width, height });
  if (both.width === 0) return out;
  for (let v = both.y; v < both.y + both.height; v++) {
    const from = (v - p.y) * p.width + both.x - p.x;
    out.set(p.data.subarray(from, from + both.width), (v - y) * width + both.x - x);
  }
  return out;
}

export function union(a: MaskPatch, b: MaskPatch): MaskPatch {
  const { x, y, width, height } = around(a, b);
  const data = new Uint8Array(width * height);
  for (const p of [a, b]) {
    for (let v = 0; v < p.height; v++) {
      const row = (v + p.y - y) * width + p.x - x;
      for (let u = 0; u < p.width; u++) data[row + u] |= p.data[v * p.width + u];
    }
  }
  return { x, y, width, height, data };
}

/** The px that both have; may be empty. */
export function common(a: MaskPatch, b: MaskPatch): MaskPatch {
  const r = intersect(a, b);
  const data = new Uint8Array(r.width * r.height);
  for (let v = 0; v < r.height; v++) {
    const [p, q] = [(r.y + v - a.y) * a.width + r.x - a.x, (r.y + v - b.y) * b.width + r.x - b.x];
    for (let u = 0; u < r.width; u++) data[v * r.width + u] = a.data[p + u] & b.data[q + u];
  }
  return { ...r, data };
}

/** Grown by a square of (2r + 1)² px. */
export function grown(p: MaskPatch, r: number): MaskPatch {
  const width = p.width + 2 * r;
  const height = p.height + 2 * r;
  const across = new Uint8Array(width * p.height);
  for (let v = 0; v < p.height; v++) {
    for (let u = 0; u < p.width; u++) {
      if (p.data[v * p.width + u]) across.fill(1, v * width + u, v * width + u + 2 * r + 1);
    }
  }
  const data = new Uint8Array(width * height);
  for (let v = 0; v < p.height; v++) {
    for (let k = 0; k <= 2 * r; k++) {
      const [from, to] = [v * width, (v + k) * width];
      for (let u = 0; u < width; u++) data[to + u] |= across[from + u];
    }
  }
  return { x: p.x - r, y: p.y - r, width, height, data };
}

/**
 * Distance of every px of a rectangle from the edge of a patch, in px, below 0 inside it (chamfer distance: Borgefors 1986,
 * with steps of 1 and √2).
 */
export function distanceFrom(patch: MaskPatch, rect: Rect): Float32Array {
  // One px around as well, so that an edge at the border counts.
  const wide = grow(rect, 1);
  const inside = maskIn(patch, wide);
  const outer = chamfer(inside, 1, wide.width, wide.height);
  const inner = chamfer(inside, 0, wide.width, wide.height);
  const out = new Float32Array(rect.width * rect.height);
  for (let y = 0; y < rect.height; y++) {
    for (let x = 0; x < rect.width; x++) {
      const i = (y + 1) * wide.width + x + 1;
      out[y * rect.width + x] = inside[i] ? -inner[i] : outer[i];
    }
  }
  return out;
}

/** Distance of every px from the nearest one that has a value: once down through the rows, once up. */
function chamfer(values: Uint8Array, value: 0 | 1, w: number, h: number): Float32Array {
  const far = w + h;
  const d = new Float32Array(w * h);
  for (let i = 0; i < d.length; i++) d[i] = values[i] === value ? 0 : far;
  for (let y = 0; y < h; y++) for (let x = 0; x < w; x++) lower(d, y * w + x, -1, -w, x > 0, x < w - 1, y > 0);
  for (let y = h - 1; y >= 0; y--) {
    for (let x = w - 1; x >= 0; x--) lower(d, y * w + x, 1, w, x < w - 1, x > 0, y < h - 1);
  }
  return d;
}

/** Lowers a distance by its neighbours on one side: the one beside, and the three in the row at `row`. */
function lower(
  d: Float32Array,
  i: number,
  beside: number,
  row: number,
  hasBeside: boolean,
  hasOther: boolean,
  hasRow: boolean,
): void {
  let least = d[i];
  if (least === 0) return;
  if (hasBeside) least = Math.min(least, d[i + beside] + 1);
  if (hasRow) {
    least = Math.min(least, d[i + row] + 1);
    if (hasBeside) least = Math.min(least, d[i + row + beside] + Math.SQRT2);
    if (hasOther) least = Math.min(least, d[i + row - beside] + Math.SQRT2);
  }
  d[i] = least;
}

/** Without empty rows and columns around; a patch of no size if nothing is left. */
export function trimmed(p: MaskPatch): MaskPatch {
  let [left, top, right, bottom] = [p.width, p.height, -1, -1];
  for (let y = 0; y < p.height; y++) {
    const row = p.data.subarray(y * p.width, (y + 1) * p.width);
    const first = row.indexOf(1);
    if (first < 0) continue;
    [left, right] = [Math.min(left, first), Math.max(right, row.lastIndexOf(1))];
    [top, bottom] = [Math.min(top, y), y];
  }
  if (right < 0) return { x: p.x, y: p.y, width: 0, height: 0, data: new Uint8Array(0) };
  const [width, height] = [right - left + 1, bottom - top + 1];
  const data = new Uint8Array(width * height);
  for (let y = 0; y < height; y++) {
    const from = (top + y) * p.width + left;
    data.set(p.data.subarray(from, from + width), y * width);
  }
  return { x: p.x + left, y: p.y + top, width, height, data };
}

/** A mask at a reduced size: px of which at least half is covered. */
export function reduced(mask: MaskPatch, step: number): MaskPatch {
  const [x, y] = [Math.floor(mask.x / step), Math.floor(mask.y / step)];
  const width = Math.ceil((mask.x + mask.width) / step) - x;
  const height = Math.ceil((mask.y + mask.height) / step) - y;
  const counts = new Uint16Array(width * height);
  mask.data.forEach((m, i) => {
    if (!m) return;
    const [u, v] = [mask.x + (i % mask.width), mask.y + Math.floor(i / mask.width)];
    counts[(Math.floor(v / step) - y) * width + Math.floor(u / step) - x]++;
  });
  return { x, y, width, height, data: bytesOf(counts, (n) => (2 * n >= step * step ? 1 : 0)) };
}
