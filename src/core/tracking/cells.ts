import type { Kernels } from '../../kernels/index.ts';
import { inside, type Quad } from './regionModel.ts';
import type { RegionPicture } from './regionPicture.ts';

/** Side of a cell, px of its level. */
export const CELL = 16;
/** Cells of one level at most: more cost time and add nothing. */
export const MAX_CELLS = 72;
/** A cell needs this share of its samples inside the region, unless the region has no fuller one. */
const MIN_FILLED = 0.4;
/** Floats of a cell's record, see `kernels/assembly/align.ts`. */
export const RECORD = 16;
const DATA_BYTES = 4 * 256 * 4;
/** Offset of a window's first sample from its centre, px. */
const FIRST = -8;

/** Windows of one level of a picture in which a region is known, ready to be found in other pictures. */
export interface CellLevel {
  level: number;
  count: number;
  /** Where the picture that the cells were laid on begins, px of its frame: cells count from there. */
  origin: { x: number; y: number };
  /** Place of the records and of the samples in kernel memory. */
  records: number;
  data: number;
}

/** Room for one level's cells, taken once and used again for every picture. */
export interface CellRoom {
  records: number;
  data: number;
}

export function cellRoom(kernels: Kernels): CellRoom {
  return { records: kernels.alloc(MAX_CELLS * RECORD * 4), data: kernels.alloc(MAX_CELLS * DATA_BYTES) };
}

interface Place {
  x: number;
  y: number;
  filled: number;
}

/**
 * Lays cells over a region on one level of a picture and prepares them.
 *
 * @param quad - The region in px of the picture's frame.
 * @param blocked - Whether a place of that frame belongs to something else.
 */
export function layCells(
  kernels: Kernels,
  room: CellRoom,
  picture: RegionPicture,
  level: number,
  quad: Quad,
  blocked: (x: number, y: number) => boolean,
): CellLevel {
  const step = 2 ** level;
  const local = quad.map((p) => ({ x: (p.x - picture.x) / step, y: (p.y - picture.y) / step })) as unknown as Quad;
  const free = (x: number, y: number): boolean => !blocked(picture.x + x * step, picture.y + y * step);
  const places = spread(local, free);
  const records = kernels.f32(room.records, MAX_CELLS * RECORD).fill(0);
  places.forEach((p, k) => {
    records[k * RECORD] = p.x;
    records[k * RECORD + 1] = p.y;
    const weights = kernels.f32(room.data + k * DATA_BYTES + 3 * 1024, 256);
    for (let i = 0; i < 256; i++) {
      const [x, y] = [p.x + FIRST + (i % CELL), p.y + FIRST + Math.floor(i / CELL)];
      weights[i] = inside(local, x, y) && free(x, y) ? 1 : 0;
    }
  });
  const { at, width, height } = picture.levels[level];
  kernels.run.prepareCells(at, width, height, room.records, room.data, places.length);
  return { level, count: places.length, origin: { x: picture.x, y: picture.y }, ...room };
}

/** Cell centres over a region, evenly, at most {@link MAX_CELLS}: cells overlap where the region is small. */
function spread(q: Quad, free: (x: number, y: number) => boolean): Place[] {
  const [xs, ys] = [q.map((p) => p.x), q.map((p) => p.y)];
  const [x0, x1, y0, y1] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
  for (let step = CELL / 2; ; step *= 1.15) {
    const places: Place[] = [];
    for (const y of centres(y0, y1, step))
      for (const x of centres(x0, x1, step)) places.push({ x, y, filled: filled(q, x, y, free) });
    const most = Math.max(...places.map((p) => p.filled));
    const kept = places.filter((p) => p.filled > 0 && p.filled >= Math.min(MIN_FILLED, most * 0.7));
    if (kept.length <= MAX_CELLS) return kept;
  }
}

/** Centres of windows along one direction: the outer ones end at the region's bounds, a single one at its middle. */
function centres(low: number, high: number, step: number): number[] {
  const room = high - low - CELL;
  if (room <= 0) return [Math.round((low + high) / 2)];
  const n = Math.max(1, Math.ceil(room / step));
  return Array.from({ length: n + 1 }, (_, i) => Math.round(low + CELL / 2 + (room * i) / n));
}

/** Share of a window that lies inside the region and is free, from every other sample. */
function filled(q: Quad, x: number, y: number, free: (x: number, y: number) => boolean): number {
  let n = 0;
  for (let j = FIRST; j < -FIRST; j += 2)
    for (let i = FIRST; i < -FIRST; i += 2) if (inside(q, x + i, y + j) && free(x + i, y + j)) n++;
  return n / 64;
}
