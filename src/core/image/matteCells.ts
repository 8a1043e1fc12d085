import { bytesPerSample, type FrameReader, type Rect } from './format.ts';

/** Values of a cell: free, near the matte (its samples are tainted), in the hole itself. */
export const FREE = 0;
export const NEAR = 1;
export const HOLE = 2;

/** A source pixel closer than this to a matte is not trusted: codecs and soft edges smear the thing outward, px. */
export const TAINT_PX = 3;

/** Cells across the long side at which the reveal is computed: about a quarter of 1080p. */
const LONG_SIDE_CELLS = 500;

/** What the reveal and the choice of sources need of all mattes of a shot. Plain data, shareable between threads. */
export interface MatteCells {
  /** Side of a cell, px: a power of two. */
  cell: number;
  cols: number;
  rows: number;
  count: number;
  /** count·rows·cols bytes: FREE, NEAR or HOLE. */
  state: Uint8Array;
  /** Smallest rectangle around matte > 0: x, y, width, height per frame; width 0 = empty. */
  boxes: Int32Array;
  /** Sum of the matte per frame, px. */
  area: Float64Array;
}

export function createMatteCells(width: number, height: number, count: number): MatteCells {
  let cell = 1;
  while (Math.max(width, height) / cell > LONG_SIDE_CELLS) cell *= 2;
  const cols = Math.ceil(width / cell);
  const rows = Math.ceil(height / cell);
  return {
    cell,
    cols,
    rows,
    count,
    state: new Uint8Array(new SharedArrayBuffer(count * cols * rows)),
    boxes: new Int32Array(new SharedArrayBuffer(count * 16)),
    area: new Float64Array(new SharedArrayBuffer(count * 8)),
  };
}

export function boxOf(cells: MatteCells, frame: number): Rect {
  const [x, y, width, height] = cells.boxes.subarray(frame * 4, frame * 4 + 4);
  return { x, y, width, height };
}

/**
 * Reads the matte of one frame and writes its cells, box and area. The matte is 8-bit grey; what a second plane holds out
 * is near: it is no hole, and shows nothing of the background.
 */
export function fillMatteCells(cells: MatteCells, mattes: FrameReader, frame: number, scratch: Uint8Array): void {
  const { width, height } = mattes.format;
  if (bytesPerSample(mattes.format) !== 1) throw new TypeError('mattes are 8 bit');
  mattes.readRows(frame, 0, 0, height, scratch);
  const box = boxAround(scratch, width, height);
  cells.boxes.set([box.x, box.y, box.width, box.height], frame * 4);
  const state = cells.state.subarray(frame * cells.cols * cells.rows, (frame + 1) * cells.cols * cells.rows);
  state.fill(FREE);
  let area = 0;
  for (let y = box.y; y < box.y + box.height; y++) {
    for (let x = box.x, i = y * width + box.x; x < box.x + box.width; x++, i++) {
      if (scratch[i] === 0) continue;
      area += scratch[i];
      touch(cells, state, x, y);
    }
  }
  cells.area[frame] = area / 255;
  if (mattes.format.planes.length > 1) {
    mattes.readRows(frame, 1, 0, height, scratch);
    for (let i = 0; i < width * height; i++) {
      if (scratch[i] > 0) taint(cells, state, i % width, Math.floor(i / width));
    }
  }
}

/** Rows of what must not be used as background: the hole and what is held out. */
export function readBlocked(mattes: FrameReader, frame: number, y: number, rows: number, into: Uint8Array): void {
  mattes.readRows(frame, 0, y, rows, into);
  if (mattes.format.planes.length === 1) return;
  const held = new Uint8Array(mattes.format.width * rows);
  mattes.readRows(frame, 1, y, rows, held);
  for (let i = 0; i < held.length; i++) if (held[i] > into[i]) into[i] = held[i];
}

function touch(cells: MatteCells, state: Uint8Array, x: number, y: number): void {
  const { cell, cols } = cells;
  const at = Math.floor(y / cell) * cols + Math.floor(x / cell);
  if (state[at] === HOLE) {
    // The cells around were touched from this cell's other pixels unless this one lies at the edge.
    const [u, v] = [x % cell, y % cell];
    if (u >= TAINT_PX && v >= TAINT_PX && u < cell - TAINT_PX && v < cell - TAINT_PX) return;
  }
  state[at] = HOLE;
  taint(cells, state, x, y);
}

/** Free cells within TAINT_PX of a px become near ones. */
function taint({ cell, cols, rows }: MatteCells, state: Uint8Array, x: number, y: number): void {
  const x0 = Math.max(0, Math.floor((x - TAINT_PX) / cell));
  const x1 = Math.min(cols - 1, Math.floor((x + TAINT_PX) / cell));
  const y0 = Math.max(0, Math.floor((y - TAINT_PX) / cell));
  const y1 = Math.min(rows - 1, Math.floor((y + TAINT_PX) / cell));
  for (let j = y0; j <= y1; j++) {
    for (let i = x0; i <= x1; i++) if (state[j * cols + i] === FREE) state[j * cols + i] = NEAR;
  }
}

function boxAround(matte: Uint8Array, width: number, height: number): Rect {
  const n = width * height;
  // Four px at a time: most of a matte is empty.
  const fours = new Int32Array(matte.buffer, matte.byteOffset, n >> 2);
  let k = 0;
  while (k < fours.length && fours[k] === 0) k++;
  let first = 4 * k;
  while (first < n && matte[first] === 0) first++;
  if (first === n) return { x: 0, y: 0, width: 0, height: 0 };
  let last = n - 1;
  while (last >= 4 * fours.length && matte[last] === 0) last--;
  if (last < 4 * fours.length) {
    k = fours.length - 1;
    while (fours[k] === 0) k--;
    last = 4 * k + 3;
    while (matte[last] === 0) last--;
  }
  const top = Math.floor(first / width);
  const bottom = Math.floor(last / width);
  let left = width;
  let right = -1;
  for (let y = top; y <= bottom; y++) {
    const row = y * width;
    for (let x = 0; x < left; x++) if (matte[row + x] !== 0) left = x;
    for (let x = width - 1; x > right; x--) if (matte[row + x] !== 0) right = x;
  }
  return { x: left, y: top, width: right - left + 1, height: bottom - top + 1 };
}
