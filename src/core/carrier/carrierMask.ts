import type { Region } from '../fill/region.ts';
import { bytesPerSample, type FrameReader } from '../image/format.ts';
import { FREE, type MatteCells } from '../image/matteCells.ts';
import { CameraMotion } from '../motion/cameraMotion.ts';

/** Frames that a frame is compared with, and how far the background has to have moved on in them, px. */
const PARTNERS = 4;
const APART_PX = 8;
const FARTHEST = 24;
/** Px across of what is told together. */
const STEP = 2;
/** What goes with a thing may differ by so much in all planes together, 8-bit levels, however even the background is. */
const SAME_LEVELS = 6;

/** A picture's samples at a place, one per plane, 8-bit levels; false where there is none, or something covers it. */
type ColourAt = (x: number, y: number, into: Float64Array) => boolean;

/** The part of a frame that is asked about, in steps. */
interface Grid {
  cols: number;
  rows: number;
  /** Middles, px of the frame, interleaved. */
  places: Float64Array;
}

/** Tells what of a frame is the thing that carries a matte, and what is the world beside it. */
export class CarrierMask {
  private readonly background: CameraMotion;

  /** @param carried - The motion of what goes as the matte does. @param cells - Of mattes as large as the frames. */
  constructor(
    private readonly frames: FrameReader,
    private readonly cells: MatteCells,
    private readonly carried: CameraMotion,
  ) {
    this.background = new CameraMotion(carried.data.background!);
  }

  /** Lets a frame's own px count as known only where they are the thing. */
  keep(region: Region): void {
    const partners = this.partnersOf(region);
    if (partners.length === 0) return;
    const grid = gridOver(region.rect);
    const own = this.colours(region.frame, grid.places);
    const [thing, world] = [this.carried, this.background].map((motion) =>
      smoothed(grid, this.differences(region.frame, own, grid, partners, motion)),
    );
    const { known } = region;
    const { width } = region.rect;
    for (let i = 0; i < known.length; i++) {
      const k = Math.floor(i / width / STEP) * grid.cols + Math.floor((i % width) / STEP);
      if (thing[k] > SAME_LEVELS && thing[k] > world[k]) known[i] = 0;
    }
  }

  /** Lets what frames show of a region count only where it is the thing. @param support - Per px, and set to 0 elsewhere. */
  believe(region: Region, support: Float32Array): void {
    this.keep(region);
    region.known.forEach((known, i) => {
      if (known === 0 && region.alpha[i] === 0) support[i] = 0;
    });
  }

  /** Mean difference of places to what other frames show, if they go so; not a number where none shows them. */
  private differences(
    frame: number,
    own: ColourAt,
    { places }: Grid,
    others: readonly number[],
    motion: CameraMotion,
  ): Float64Array {
    const n = places.length / 2;
    const [sum, count] = [new Float64Array(n), new Uint8Array(n)];
    const planes = this.frames.format.colourPlanes;
    const [a, b] = [new Float64Array(planes), new Float64Array(planes)];
    for (const other of others) {
      const moved = places.slice();
      motion.map(frame, other, moved);
      const shown = this.colours(other, moved);
      for (let k = 0; k < n; k++) {
        if (!own(places[2 * k], places[2 * k + 1], a) || !shown(moved[2 * k], moved[2 * k + 1], b)) continue;
        for (let p = 0; p < planes; p++) sum[k] += Math.abs(a[p] - b[p]);
        count[k]++;
      }
    }
    return sum.map((s, k) => s / count[k]);
  }

  /** What a frame shows in the rows that some places lie in. */
  private colours(frame: number, places: Float64Array): ColourAt {
    const { format } = this.frames;
    const { width, height, depth, colourPlanes } = format;
    let [low, high] = [height - 1, 0];
    for (let k = 1; k < places.length; k += 2) {
      low = Math.min(low, places[k]);
      high = Math.max(high, places[k]);
    }
    const first = Math.max(0, Math.floor(low) - STEP);
    const end = Math.min(height, Math.ceil(high) + STEP);
    const planes = Array.from({ length: end > first ? colourPlanes : 0 }, (_, p) => this.rowsOf(frame, p, first, end));
    const { cell, cols, rows, state } = this.cells;
    const at = frame * cols * rows;
    const unit = 2 ** (depth - 8);
    return (x, y, into) => {
      const [u, v] = [Math.round(x), Math.round(y)];
      if (u < 0 || v < first || u >= width || v >= end) return false;
      if (state[at + Math.floor(v / cell) * cols + Math.floor(u / cell)] !== FREE) return false;
      planes.forEach(({ samples, stepX, stepY, width, top }, p) => {
        into[p] = samples[(Math.floor(v / stepY) - top) * width + Math.floor(u / stepX)] / unit;
      });
      return true;
    };
  }

  private rowsOf(frame: number, plane: number, first: number, end: number) {
    const { format } = this.frames;
    const { stepX, stepY, width } = format.planes[plane];
    const top = Math.floor(first / stepY);
    const rows = Math.ceil(end / stepY) - top;
    const bytes = new Uint8Array(rows * width * bytesPerSample(format));
    this.frames.readRows(frame, plane, top, rows, bytes);
    const samples = bytesPerSample(format) === 1 ? bytes : new Uint16Array(bytes.buffer);
    return { samples, stepX, stepY, width, top };
  }

  /** Frames in which the thing has gone on over the background, the nearest ones, on both sides if there are. */
  private partnersOf({ frame, rect }: Region): number[] {
    const middle = [rect.x + rect.width / 2, rect.y + rect.height / 2];
    const placeIn = (other: number, motion: CameraMotion): Float64Array => {
      const at = Float64Array.from(middle);
      motion.map(frame, other, at);
      return at;
    };
    const out: number[] = [];
    for (let d = 1; d <= FARTHEST && out.length < PARTNERS; d++) {
      for (const other of [frame - d, frame + d]) {
        if (other < 0 || other >= this.cells.count || !this.carried.sameScene(frame, other)) continue;
        const [a, b] = [placeIn(other, this.carried), placeIn(other, this.background)];
        if (Math.hypot(a[0] - b[0], a[1] - b[1]) >= APART_PX) out.push(other);
      }
    }
    return out;
  }
}

function gridOver({ x, y, width, height }: Region['rect']): Grid {
  const [cols, rows] = [width / STEP, height / STEP];
  const places = new Float64Array(2 * cols * rows);
  for (let r = 0, k = 0; r < rows; r++) {
    for (let c = 0; c < cols; c++) {
      places[k++] = x + c * STEP + (STEP - 1) / 2;
      places[k++] = y + r * STEP + (STEP - 1) / 2;
    }
  }
  return { cols, rows, places };
}

/** Means over three by three places, of those that are numbers; 0 where none is. */
function smoothed({ cols, rows }: Grid, values: Float64Array): Float64Array {
  const out = new Float64Array(values.length);
  for (let r = 0, k = 0; r < rows; r++) {
    for (let c = 0; c < cols; c++, k++) {
      let [sum, n] = [0, 0];
      for (let y = Math.max(0, r - 1); y <= Math.min(rows - 1, r + 1); y++) {
        for (let x = Math.max(0, c - 1); x <= Math.min(cols - 1, c + 1); x++) {
          const v = values[y * cols + x];
          if (Number.isNaN(v)) continue;
          sum += v;
          n++;
        }
      }
      out[k] = n > 0 ? sum / n : 0;
    }
  }
  return out;
}
