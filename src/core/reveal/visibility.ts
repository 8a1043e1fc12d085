import type { Kernels } from '../../kernels/index.ts';
import { multiply3 } from '../geometry/homography.ts';
import { SlotCache } from '../image/lru.ts';
import { HOLE, type MatteCells } from '../image/matteCells.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';

/** Which frames see what lies behind the hole of one frame. */
export interface Visibility {
  frame: number;
  /** Cells of the hole: indices row·cols + col. */
  cells: Int32Array;
  /** Frames looked at, nearest first. */
  sources: number[];
  /** sources.length·cells.length bytes: 1 = free there. Of far frames only what no nearer one shows is known. */
  seen: Uint8Array;
}

/** Masks kept in kernel memory. */
const SLOTS = 160;

/** Every so many frames lies one that its neighbours too are best filled from. */
export const SHARED_EVERY = 6;

/** Frames, each way, that are asked about all of a hole; farther ones only about what these do not show. */
export const NEAR_REACH = 100;

/** Frames, each way, in which it is looked for when a place is free. */
const COVERED_REACH = 100;
/** A place that is not free in any of them. */
export const NEVER = 255;

/** The nearest stretch of frames in which what lies behind the cells of a hole is free; per cell of the frame, rows·cols. */
export interface Stretch {
  /** How many frames away its nearest frame is; 0 = no hole, {@link NEVER}. */
  off: Uint8Array;
  /** Its frames. */
  length: Uint8Array;
}

/** When what lies behind a hole is free before and after a frame. */
export interface Covered {
  before: Stretch;
  after: Stretch;
}

/**
 * Frames in which the background of frame `t` is looked for: all near ones, then fewer and fewer. The thinned ones lie
 * on a grid common to all frames, so that neighbouring frames draw on the same sources.
 */
export function ladder(t: number, reach: number, count: number): number[] {
  const out: number[] = [];
  for (let d = 1; d <= reach; d++) {
    const step = d <= 8 ? 1 : d <= 24 ? 2 : d <= 64 ? 4 : d <= NEAR_REACH ? 8 : 12;
    for (const s of [t - d, t + d]) if (s >= 0 && s < count && s % step === 0) out.push(s);
  }
  return out;
}

/** Finds, at cell size, where the background behind a hole is free in other frames. */
export class VisibilityFinder {
  private readonly masks: SlotCache<number>;

  constructor(
    private readonly kernels: Kernels,
    private readonly motion: CameraMotion,
    private readonly cells: MatteCells,
    private readonly reach: number,
  ) {
    const size = cells.cols * cells.rows;
    const slots = Array.from({ length: Math.min(SLOTS, cells.count) }, () => kernels.alloc(size));
    this.masks = new SlotCache(slots, (frame, at) =>
      kernels.u8(at, size).set(cells.state.subarray(frame * size, (frame + 1) * size)),
    );
  }

  sameScene(a: number, b: number): boolean {
    return this.motion.sameScene(a, b);
  }

  /** @param thin - Look at every `thin`-th cell across and down only. */
  find(frame: number, thin = 1): Visibility {
    const { cells } = this;
    const hole = this.holeCells(frame, thin);
    const sources = ladder(frame, this.reach, cells.count).filter((s) => this.motion.sameScene(frame, s));
    const near = sources.findIndex((s) => Math.abs(s - frame) > NEAR_REACH);
    const seen = new Uint8Array(sources.length * hole.length);
    seen.set(this.seenIn(near < 0 ? sources : sources.slice(0, near), frame, hole));
    if (near >= 0) this.lookFarther(near, { frame, cells: hole, sources, seen });
    return { frame, cells: hole, sources, seen };
  }

  /** When what lies behind the hole of a frame is free, before and after it. */
  covered(frame: number): Covered {
    const hole = this.holeCells(frame, 1);
    return { before: this.freeTowards(frame, hole, -1), after: this.freeTowards(frame, hole, 1) };
  }

  private freeTowards(frame: number, hole: Int32Array, step: 1 | -1): Stretch {
    const { cols, rows, count } = this.cells;
    const out = { off: new Uint8Array(cols * rows), length: new Uint8Array(cols * rows) };
    for (const cell of hole) out.off[cell] = NEVER;
    const sources: number[] = [];
    for (let s = frame + step; s >= 0 && s < count && sources.length < COVERED_REACH; s += step) {
      if (!this.motion.sameScene(frame, s)) break;
      sources.push(s);
    }
    const seen = this.seenIn(sources, frame, hole);
    hole.forEach((cell, i) => {
      let k = 0;
      while (k < sources.length && seen[k * hole.length + i] === 0) k++;
      if (k === sources.length) return;
      out.off[cell] = k + 1;
      while (k < sources.length && seen[k * hole.length + i] === 1) {
        out.length[cell]++;
        k++;
      }
    });
    return out;
  }

  /** Asks the sources from number `near` on about the cells that none before them shows. */
  private lookFarther(near: number, { frame, cells, sources, seen }: Visibility): void {
    const n = cells.length;
    const open = [...cells.keys()].filter((i) => {
      for (let k = 0; k < near; k++) if (seen[k * n + i] === 1) return false;
      return true;
    });
    if (open.length === 0) return;
    const asked = Int32Array.from(open, (i) => cells[i]);
    const found = this.seenIn(sources.slice(near), frame, asked);
    for (let k = near; k < sources.length; k++) {
      open.forEach((i, j) => (seen[k * n + i] = found[(k - near) * asked.length + j]));
    }
  }

  /** sources.length·hole.length bytes: 1 where a source shows what lies behind a cell of a frame. */
  private seenIn(sources: readonly number[], frame: number, hole: Int32Array): Uint8Array {
    const { kernels, cells } = this;
    const seen = new Uint8Array(sources.length * hole.length);
    kernels.scoped(() => {
      const from = kernels.put(this.places(hole));
      const to = kernels.alloc(hole.length * 8);
      const out = kernels.alloc(hole.length);
      const matrix = kernels.alloc(36);
      sources.forEach((s, k) => {
        kernels.f32(matrix, 9).set(this.cellHomography(frame, s));
        kernels.run.projectCells(from, hole.length, matrix, to);
        kernels.run.freeCells(this.masks.get(s), cells.cols, cells.rows, to, hole.length, out);
        seen.set(kernels.u8(out, hole.length), k * hole.length);
      });
    });
    return seen;
  }

  private holeCells(frame: number, thin: number): Int32Array {
    const { cols, rows, state } = this.cells;
    const base = frame * cols * rows;
    const out: number[] = [];
    for (let y = 0; y < rows; y += thin) {
      for (let x = 0; x < cols; x += thin) if (state[base + y * cols + x] === HOLE) out.push(y * cols + x);
    }
    return Int32Array.from(out);
  }

  private places(hole: Int32Array): Float32Array {
    const out = new Float32Array(hole.length * 2);
    for (let k = 0; k < hole.length; k++) {
      out[2 * k] = hole[k] % this.cells.cols;
      out[2 * k + 1] = Math.floor(hole[k] / this.cells.cols);
    }
    return out;
  }

  /** Homography of cell coordinates: the centre of cell (i, j) lies at ((i, j) + ½)·cell − ½ of the frame. */
  cellHomography(from: number, to: number): Float64Array {
    const c = this.cells.cell;
    const o = (c - 1) / 2;
    const plane = this.motion.plane(from, to);
    return multiply3([1 / c, 0, -o / c, 0, 1 / c, -o / c, 0, 0, 1], multiply3(plane, [c, 0, o, 0, c, o, 0, 0, 1]));
  }
}
