import type { Kernels } from '../../kernels/index.ts';
import type { Bars } from './bars.ts';
import { bytesPerSample, type FrameReader, type Rect } from './format.ts';

/** Values of a cell: free, near the matte (its samples are tainted), in the hole itself. */
export const FREE = 0;
export const NEAR = 1;
export const HOLE = 2;

/** A source pixel closer than this to a matte is not trusted: codecs and soft edges smear the thing outward, px. */
export const TAINT_PX = 3;
/** Where nothing else shows a place, and beside a draft's mattes, which are a px larger, only so much is left out, px. */
export const LEAST_TAINT_PX = 1;

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
  /** Middle of the matte per frame, px: x, y; not a number where there is none. */
  middles: Float64Array;
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
    middles: new Float64Array(new SharedArrayBuffer(count * 16)),
  };
}

/** Lets cells that bars along the sides of a film touch show nothing of the background. @param bars - Px. */
export function coverBars({ cell, cols, rows, count, state }: MatteCells, { left, top, right, bottom }: Bars): void {
  const frame = state.subarray(0, cols * rows);
  const [x, y] = [Math.ceil(left / cell), Math.ceil(top / cell)];
  const [end, low] = [cols - Math.ceil(right / cell), rows - Math.ceil(bottom / cell)];
  for (let r = 0; r < rows; r++) {
    for (let c = 0; c < cols; c++) if (c < x || c >= end || r < y || r >= low) frame[r * cols + c] = NEAR;
  }
  for (let t = 1; t < count; t++) state.set(frame, t * cols * rows);
}

export function boxOf(cells: MatteCells, frame: number): Rect {
  const [x, y, width, height] = cells.boxes.subarray(frame * 4, frame * 4 + 4);
  return { x, y, width, height };
}

/** Numbers of the cells that squares touch. @param middles - Frame px, interleaved. @param side - Of a square, px. */
export function cellsUnder(
  { cell, cols, rows }: Pick<MatteCells, 'cell' | 'cols' | 'rows'>,
  middles: ArrayLike<number>,
  side: number,
): Set<number> {
  const out = new Set<number>();
  const first = (v: number): number => Math.max(0, Math.floor((v - side / 2) / cell));
  const end = (v: number, n: number): number => Math.min(n, Math.ceil((v + side / 2) / cell));
  for (let k = 0; k < middles.length; k += 2) {
    const [x, y] = [middles[k], middles[k + 1]];
    for (let r = first(y); r < end(y, rows); r++) for (let c = first(x); c < end(x, cols); c++) out.add(r * cols + c);
  }
  return out;
}

/**
 * Reads the matte of one frame and writes its cells, box and area. The matte is 8-bit grey; what a second plane holds out
 * is near: it is no hole, and shows nothing of the background.
 */
export function fillMatteCells(kernels: Kernels, cells: MatteCells, mattes: FrameReader, frame: number): void {
  const { width, height, planes } = mattes.format;
  if (bytesPerSample(mattes.format) !== 1) throw new TypeError('mattes are 8 bit');
  const { cell, cols, rows } = cells;
  kernels.scoped(() => {
    const mask = kernels.alloc(width * height);
    const state = kernels.alloc(cols * rows);
    const box = kernels.alloc(40);
    kernels.u8(state, cols * rows).fill(FREE);
    // The hole last: its box stays.
    for (let plane = planes.length - 1; plane >= 0; plane--) {
      mattes.readRows(frame, plane, 0, height, kernels.u8(mask, width * height));
      kernels.run.maskCells(mask, width, height, plane === 0 ? HOLE : NEAR, cell, TAINT_PX, cols, rows, state, box);
    }
    const [left, top, right, bottom] = kernels.i32(box, 4);
    cells.boxes.set(right < left ? [0, 0, 0, 0] : [left, top, right - left + 1, bottom - top + 1], frame * 4);
    const [sum, across, down] = kernels.f64(box + 16, 3);
    cells.area[frame] = sum / 255;
    cells.middles.set([across / sum, down / sum], frame * 2);
    cells.state.set(kernels.u8(state, cols * rows), frame * cols * rows);
  });
}

/** Rows of what must not be used as background: the hole and what is held out. */
export function readBlocked(mattes: FrameReader, frame: number, y: number, rows: number, into: Uint8Array): void {
  mattes.readRows(frame, 0, y, rows, into);
  if (mattes.format.planes.length === 1) return;
  const held = new Uint8Array(mattes.format.width * rows);
  mattes.readRows(frame, 1, y, rows, held);
  for (let i = 0; i < held.length; i++) if (held[i] > into[i]) into[i] = held[i];
}
