import type { Kernels } from '../../kernels/index.ts';
import {
  bytesPerSample,
  grow,
  intersect,
  snap,
  type FrameFormat,
  type FrameReader,
  type Rect,
} from '../image/format.ts';
import { readBlocked, TAINT_PX } from '../image/matteCells.ts';

/** Side of the tiles that work is divided into, luma px. */
export const TILE = 16;

/** The part of a frame that a fill works on: the hole with a rim of known picture, in whole tiles. */
export interface Region {
  frame: number;
  /** Corner and size in luma px, multiples of TILE; may reach beyond the frame. */
  rect: Rect;
  cols: number;
  rows: number;
  /** cols·rows: HOLE_TILE where the matte is, RIM_TILE around it, 0 elsewhere. */
  active: Uint8Array;
  /** Matte of the region, 0..255 per luma px. */
  alpha: Uint8Array;
  /** 1 where the frame's own pixel is known and trusted (in active tiles, inside the frame, away from the matte), luma px. */
  known: Uint8Array;
}

/** Which tiles are active: all that runs of samples depend on. */
export type Tiles = Pick<Region, 'cols' | 'rows' | 'active'>;

/** Kinds of active tiles. */
export const RIM_TILE = 1;
export const HOLE_TILE = 2;

/** Width of the rim, tiles: what light, sharpness and grain are measured on. */
const RIM_TILES = 1;

/** Region of a frame's hole. */
export function regionOf(kernels: Kernels, frame: number, box: Rect, mattes: FrameReader, taint = TAINT_PX): Region {
  return makeRegion(kernels, frame, grow(snap(box, TILE), RIM_TILES * TILE), mattes, false, taint);
}

/**
 * @param whole - All tiles are active, whatever the matte.
 * @param taint - How near to the matte the frame's own px are not trusted, px.
 */
export function makeRegion(
  kernels: Kernels,
  frame: number,
  rect: Rect,
  mattes: FrameReader,
  whole: boolean,
  taint = TAINT_PX,
): Region {
  const cols = rect.width / TILE;
  const rows = rect.height / TILE;
  const n = rect.width * rect.height;
  const known = new Uint8Array(n);
  return kernels.scoped(() => {
    const at = kernels.alloc(n);
    const view = kernels.u8(at, n).fill(0);
    readBytes(mattes, rect, view, (y, rows, into) => mattes.readRows(frame, 0, y, rows, into));
    const alpha = view.slice();
    const active = activeTiles(alpha, cols, rows, whole);
    if (mattes.format.planes.length > 1) {
      readBytes(mattes, rect, view, (y, rows, into) => readBlocked(mattes, frame, y, rows, into));
    }
    const out = kernels.alloc(n);
    kernels.run.dilate(at, rect.width, rect.height, taint, out, kernels.alloc(n));
    const inside = intersect(rect, { x: 0, y: 0, width: mattes.format.width, height: mattes.format.height });
    const region = { frame, rect, cols, rows, alpha, known, active };
    markFree(kernels.u8(out, n), region, inside, known);
    return region;
  });
}

/** Sets to 1 what is 0 in a mask, in active tiles, within the frame's part of the region. */
function markFree(mask: Uint8Array, { rect, cols, active }: Region, inside: Rect, out: Uint8Array): void {
  const [left, right] = [inside.x - rect.x, inside.x - rect.x + inside.width];
  for (let y = inside.y - rect.y; y < inside.y - rect.y + inside.height; y++) {
    for (let c = 0; c < cols; c++) {
      if (active[Math.floor(y / TILE) * cols + c] === 0) continue;
      const end = y * rect.width + Math.min(right, (c + 1) * TILE);
      for (let i = y * rect.width + Math.max(left, c * TILE); i < end; i++) out[i] = mask[i] === 0 ? 1 : 0;
    }
  }
}

function activeTiles(alpha: Uint8Array, cols: number, rows: number, whole: boolean): Uint8Array {
  const active = new Uint8Array(cols * rows);
  if (whole) return active.fill(HOLE_TILE);
  // Four px at a time.
  const fours = new Uint32Array(alpha.buffer, alpha.byteOffset, alpha.length / 4);
  const w = (cols * TILE) / 4;
  const holds = (c: number, r: number): boolean => {
    for (let y = r * TILE; y < (r + 1) * TILE; y++) {
      const at = y * w + (c * TILE) / 4;
      for (let i = at; i < at + TILE / 4; i++) if (fours[i] > 0) return true;
    }
    return false;
  };
  for (let r = 0; r < rows; r++) for (let c = 0; c < cols; c++) if (holds(c, r)) active[r * cols + c] = HOLE_TILE;
  for (let r = 0; r < rows; r++) {
    for (let c = 0; c < cols; c++) {
      if (active[r * cols + c] !== HOLE_TILE) continue;
      for (let b = Math.max(0, r - RIM_TILES); b <= Math.min(rows - 1, r + RIM_TILES); b++) {
        for (let a = Math.max(0, c - RIM_TILES); a <= Math.min(cols - 1, c + RIM_TILES); a++) {
          active[b * cols + a] = Math.max(active[b * cols + a], RIM_TILE);
        }
      }
    }
  }
  return active;
}

function readBytes(
  { format }: FrameReader,
  rect: Rect,
  into: Uint8Array,
  read: (y: number, rows: number, into: Uint8Array) => void,
): void {
  const { width, height } = format;
  const y0 = Math.max(0, rect.y);
  const y1 = Math.min(height, rect.y + rect.height);
  const x0 = Math.max(0, rect.x);
  const x1 = Math.min(width, rect.x + rect.width);
  if (y1 <= y0 || x1 <= x0) return;
  const rows = new Uint8Array(width * (y1 - y0));
  read(y0, y1 - y0, rows);
  for (let y = y0; y < y1; y++) {
    into.set(rows.subarray((y - y0) * width + x0, (y - y0) * width + x1), (y - rect.y) * rect.width + x0 - rect.x);
  }
}

/** Calls `use` with each row of px of the active tiles: number of the tile, the row's first px in the region, and the one after its last. */
export function eachTileRow(
  { rect, cols, active }: Pick<Region, 'rect' | 'cols' | 'active'>,
  use: (tile: number, from: number, to: number) => void,
): void {
  for (let tile = 0; tile < active.length; tile++) {
    if (active[tile] === 0) continue;
    const first = Math.floor(tile / cols) * TILE * rect.width + (tile % cols) * TILE;
    for (let y = 0; y < TILE; y++) use(tile, first + y * rect.width, first + y * rect.width + TILE);
  }
}

/** Middle of a tile, frame px. */
export const middleOf = ({ rect, cols }: Region, tile: number): [number, number] => [
  rect.x + ((tile % cols) + 0.5) * TILE,
  rect.y + (Math.floor(tile / cols) + 0.5) * TILE,
];

/** A region without the tiles that are not in a set. @param tiles - 1 for those that are. */
export const partOf = (region: Region, tiles: Uint8Array): Region => ({
  ...region,
  active: region.active.map((a, tile) => a * tiles[tile]),
});

/** 1 for the tiles of at least a kind that hold a px at which neither of two masks is 0. */
export function tilesWith(
  { rect, cols, active }: Region,
  kind: number,
  one: Uint8Array,
  other: Uint8Array = one,
): Uint8Array {
  const out = new Uint8Array(active.length);
  for (let tile = 0; tile < out.length; tile++) {
    if (active[tile] < kind) continue;
    const first = Math.floor(tile / cols) * TILE * rect.width + (tile % cols) * TILE;
    for (let y = 0; y < TILE && out[tile] === 0; y++) {
      const at = first + y * rect.width;
      for (let i = at; i < at + TILE; i++) if (one[i] > 0 && other[i] > 0) out[tile] = 1;
    }
  }
  return out;
}

/** Corners of a region's tiles, (cols + 1)·(rows + 1), interleaved x, y, frame px. */
export function tileCorners({ rect, cols, rows }: Region): Float32Array {
  const out = new Float32Array((cols + 1) * (rows + 1) * 2);
  for (let r = 0, i = 0; r <= rows; r++) {
    for (let c = 0; c <= cols; c++, i += 2) {
      out[i] = rect.x + c * TILE;
      out[i + 1] = rect.y + r * TILE;
    }
  }
  return out;
}

/** Size of a plane's part of a region, samples. */
export function planeSize(region: Region, format: FrameFormat, plane: number): { width: number; height: number } {
  const { stepX, stepY } = format.planes[plane];
  return { width: region.rect.width / stepX, height: region.rect.height / stepY };
}

/** Runs that were asked for, by the active tiles; every step of a fill asks for the same few. */
const knownRuns = new WeakMap<Uint8Array, Map<string, Int32Array>>();

function remembered(active: Uint8Array, key: string, find: () => Int32Array): Int32Array {
  const known = knownRuns.get(active) ?? new Map<string, Int32Array>();
  knownRuns.set(active, known);
  const found = known.get(key) ?? find();
  known.set(key, found);
  return found;
}

/** Runs of samples of a plane in tiles of at least a kind: triples of row, first column, column after the last. */
export function spansOf(region: Tiles, format: FrameFormat, plane: number, kind: number): Int32Array {
  const { stepX, stepY } = format.planes[plane];
  return remembered(region.active, `spans ${stepX} ${stepY} ${kind}`, () => findSpans(region, format, plane, kind));
}

/** The same runs as pairs: number of the first sample in the region's part of the plane, and of the one after the last. */
export function runsOf(region: Tiles, format: FrameFormat, plane: number, kind: number): Int32Array {
  const { stepX, stepY } = format.planes[plane];
  const width = (region.cols * TILE) / stepX;
  return remembered(region.active, `runs ${stepX} ${stepY} ${kind}`, () => {
    const spans = spansOf(region, format, plane, kind);
    const runs = new Int32Array((spans.length / 3) * 2);
    for (let k = 0, n = 0; k < spans.length; k += 3) {
      runs[n++] = spans[k] * width + spans[k + 1];
      runs[n++] = spans[k] * width + spans[k + 2];
    }
    return runs;
  });
}

function findSpans(region: Tiles, format: FrameFormat, plane: number, kind: number): Int32Array {
  const { stepX, stepY } = format.planes[plane];
  const [tw, th] = [TILE / stepX, TILE / stepY];
  const out: number[] = [];
  for (let y = 0; y < region.rows * th; y++) {
    const row = Math.floor(y / th) * region.cols;
    for (let c = 0; c < region.cols; c++) {
      if (region.active[row + c] < kind) continue;
      const first = c;
      while (c + 1 < region.cols && region.active[row + c + 1] >= kind) c++;
      out.push(y, first * tw, (c + 1) * tw);
    }
  }
  return Int32Array.from(out);
}

/** The frame's own samples of a region, as numbers; places outside the frame repeat its border. */
export function readRegionPlane(reader: FrameReader, region: Region, plane: number): Float32Array {
  const p = reader.format.planes[plane];
  const size = planeSize(region, reader.format, plane);
  const x0 = region.rect.x / p.stepX;
  const y0 = region.rect.y / p.stepY;
  const first = Math.min(p.height - 1, Math.max(0, y0));
  const last = Math.min(p.height - 1, Math.max(0, y0 + size.height - 1));
  const bytes = bytesPerSample(reader.format);
  const raw = new Uint8Array(p.width * (last - first + 1) * bytes);
  reader.readRows(region.frame, plane, first, last - first + 1, raw);
  const samples = bytes === 1 ? raw : new Uint16Array(raw.buffer);
  const out = new Float32Array(size.width * size.height);
  const from = Math.max(0, x0);
  const to = Math.min(p.width, x0 + size.width);
  for (let y = 0; y < size.height; y++) {
    const row = (Math.min(last, Math.max(first, y0 + y)) - first) * p.width;
    const at = y * size.width;
    out.set(samples.subarray(row + from, row + to), at + from - x0);
    out.fill(samples[row + from], at, at + from - x0);
    out.fill(samples[row + to - 1], at + to - x0, at + size.width);
  }
  return out;
}
