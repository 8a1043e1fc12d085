import { BESIDE, CHANGING, FIXED } from '../core/fixed/stays.ts';
import type { FrameFormat, FrameReader } from '../core/image/format.ts';
import { matteFormat } from './decode.ts';

/** Tells what of rows of a frame stays: per px {@link FIXED}, {@link BESIDE} or 0. */
export type StaysAt = (frame: number, y: number, rows: number) => Uint8Array;

/** Mattes of a film of which something stays, such as bars along its sides: it does as what is held out does, and shows nothing of the background. */
export class StayingMattes implements FrameReader {
  readonly format: FrameFormat;
  readonly count: number;

  constructor(
    private readonly full: FrameReader,
    private readonly staysAt: StaysAt,
  ) {
    const { width, height } = full.format;
    this.format = matteFormat(width, height, true);
    this.count = full.count;
  }

  readRows(frame: number, plane: number, y: number, rows: number, into: Uint8Array): void {
    const { full, format } = this;
    if (plane < full.format.planes.length) full.readRows(frame, plane, y, rows, into);
    else into.fill(0, 0, rows * format.width);
    const stays = this.staysAt(frame, y, rows);
    for (let i = 0; i < stays.length; i++) {
      if (stays[i] === 0) continue;
      if (plane > 0) into[i] = 255;
      else if (stays[i] === FIXED) into[i] = 0;
    }
  }
}

/**
 * What stays, digits that change told by their colours in each frame, with the soft px around them.
 *
 * @param mask - Per px of the mattes, of `staysMask`.
 * @param painted - Rows of a frame, 1 per px that has a colour of the letters; undefined if the frames are not of the mattes' size: then all of it stays.
 */
export function staysIn(mask: Uint8Array, width: number, painted: StaysAt | undefined): StaysAt {
  const height = mask.length / width;
  const [first, last] = [mask.indexOf(CHANGING), mask.lastIndexOf(CHANGING)].map((i) => Math.floor(i / width));
  return (frame, y, rows) => {
    const part = mask.subarray(y * width, (y + rows) * width);
    if (first < 0 || y > last || y + rows <= first) return part;
    if (!painted) return part.map((v) => (v === CHANGING ? FIXED : v));
    const top = Math.max(0, y - 1);
    const colours = painted(frame, top, Math.min(height, y + rows + 1) - top);
    const isNear = (i: number): boolean => {
      const [x, row] = [i % width, Math.floor(i / width) + y - top];
      for (let v = Math.max(0, row - 1); v <= row + 1; v++) {
        for (let u = Math.max(0, x - 1); u <= Math.min(width - 1, x + 1); u++) {
          if (colours[v * width + u] === 1) return true;
        }
      }
      return false;
    };
    return part.map((v, i) => (v !== CHANGING ? v : isNear(i) ? FIXED : BESIDE));
  };
}
