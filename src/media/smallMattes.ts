import type { FrameFormat, FrameReader } from '../core/image/format.ts';
import { matteFormat } from './decode.ts';

/** Samples that the full matte touches, and those next to them. */
export const TOUCHED = 255;
const BESIDE = 254;

/**
 * Mattes at a draft's size, made of the full ones as they are read. What the full matte touches at all is removed whole, so
 * that nothing of the thing is blended into a small fill and carried back to full size; and one px around it as well, which
 * the cubic that enlarges the fill reads.
 */
export class SmallMattes implements FrameReader {
  readonly count: number;

  /** @param factor - Px of the full mattes per px. */
  constructor(
    private readonly full: FrameReader,
    readonly format: FrameFormat,
    private readonly factor: number,
  ) {
    this.count = full.count;
  }

  readRows(frame: number, plane: number, y: number, rows: number, into: Uint8Array): void {
    const { factor } = this;
    const { width, height } = this.full.format;
    const part = into.subarray(0, this.format.width * rows).fill(0);
    const [top, bottom] = [Math.max(0, y - 1), Math.min(this.format.height, y + rows + 1)];
    const n = Math.min(height, bottom * factor) - top * factor;
    const source = Buffer.allocUnsafe(width * n);
    this.full.readRows(frame, plane, top * factor, n, source);
    const nothing = Buffer.alloc(width * factor);
    for (let v = top; v < bottom; v++) {
      const from = (v - top) * factor * width;
      const to = Math.min(source.length, from + nothing.length);
      // Most rows have no matte: one look skips them.
      if (source.compare(nothing, 0, to - from, from, to) !== 0) this.markRow(part, v - y, source, from, to);
    }
  }

  /** @param v - Row of the part; the ones before and after it may be outside. @param from - Where its full rows lie. */
  private markRow(part: Uint8Array, v: number, source: Uint8Array, from: number, to: number): void {
    const { width } = this.format;
    for (let u = 0; u < width; u++) if (this.isTouched(u, source, from, to)) mark(part, width, u, v);
  }

  private isTouched(u: number, source: Uint8Array, from: number, to: number): boolean {
    const { factor } = this;
    const { width } = this.full.format;
    const [first, end] = [u * factor, Math.min(width, (u + 1) * factor)];
    for (let row = from; row < to; row += width) {
      for (let i = row + first; i < row + end; i++) if (source[i] > 0) return true;
    }
    return false;
  }
}

function mark(part: Uint8Array, width: number, u: number, v: number): void {
  const rows = part.length / width;
  for (let j = Math.max(0, v - 1); j <= Math.min(rows - 1, v + 1); j++) {
    for (let i = Math.max(0, u - 1); i <= Math.min(width - 1, u + 1); i++) part[j * width + i] ||= BESIDE;
  }
  if (v >= 0 && v < rows) part[v * width + u] = TOUCHED;
}

/** Mattes for frames that are smaller by a factor. @param size - Of these frames. */
export const smallMattesFor = (
  full: FrameReader,
  size: { width: number; height: number },
  factor: number,
): SmallMattes => new SmallMattes(full, matteFormat(size.width, size.height, full.format.planes.length > 1), factor);
