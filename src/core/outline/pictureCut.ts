import { bytesPerSample, intersect, type FrameReader, type Rect } from '../image/format.ts';
import { CHANNELS } from './colourModel.ts';

/** Part of a frame at a reduced size. Its rectangle is in px of that size: px (x, y) covers `step`² px of the frame. */
export interface PictureCut extends Rect {
  /** Px of the frame per px: a power of two. */
  step: number;
  /** Three values per px, 8-bit levels: luma and chroma, or green, blue and red; grey pictures repeat their luma. */
  colours: Float32Array;
  /** The same less what is known of the background there. */
  difference?: Float32Array;
}

/** The least step at which a length is at most so many px. */
export function stepFor(length: number, most: number): number {
  let step = 1;
  while (length / step > most) step *= 2;
  return step;
}

/** Size of a frame at a step. */
export const sizeAt = (frames: FrameReader, step: number): { width: number; height: number } => ({
  width: Math.ceil(frames.format.width / step),
  height: Math.ceil(frames.format.height / step),
});

/** Reads the part of a frame that lies in a rectangle (px of the reduced size; what is outside the frame is cut off). */
export function readCut(frames: FrameReader, frame: number, rect: Rect, step: number): PictureCut {
  const { format } = frames;
  const part = intersect(rect, { x: 0, y: 0, ...sizeAt(frames, step) });
  const colours = new Float32Array(part.width * part.height * CHANNELS);
  if (colours.length === 0) return { ...part, step, colours };
  for (let c = 0; c < CHANNELS; c++)
    readPlane(frames, frame, Math.min(c, format.colourPlanes - 1), part, step, colours, c);
  return { ...part, step, colours };
}

function readPlane(
  frames: FrameReader,
  frame: number,
  plane: number,
  { x, y, width, height }: Rect,
  step: number,
  out: Float32Array,
  channel: number,
): void {
  const { planes, depth } = frames.format;
  const { width: w, height: h, stepX, stepY } = planes[plane];
  const bytes = bytesPerSample(frames.format);
  const first = Math.floor((y * step) / stepY);
  const rows = Math.min(h, Math.ceil(((y + height) * step) / stepY)) - first;
  const raw = new Uint8Array(rows * w * bytes);
  frames.readRows(frame, plane, first, rows, raw);
  const samples = bytes === 1 ? raw : new Uint16Array(raw.buffer);
  const level = 2 ** (8 - depth);
  const columns = extents(x, width, step, stepX, w);
  const lines = extents(y, height, step, stepY, h);
  for (let v = 0, i = channel; v < height; v++) {
    const top = lines[2 * v] - first;
    const bottom = lines[2 * v + 1] - first;
    for (let u = 0; u < width; u++, i += CHANNELS) {
      const left = columns[2 * u];
      const right = columns[2 * u + 1];
      if (bottom === top + 1 && right === left + 1) {
        out[i] = samples[top * w + left] * level;
        continue;
      }
      let sum = 0;
      for (let r = top * w; r < bottom * w; r += w) for (let k = left; k < right; k++) sum += samples[r + k];
      out[i] = (sum * level) / ((bottom - top) * (right - left));
    }
  }
}

/** First sample under each px along an axis of a plane, and the one after the last. */
function extents(from: number, n: number, step: number, perSample: number, end: number): Int32Array {
  const wide = Math.max(1, step / perSample);
  const out = new Int32Array(2 * n);
  for (let k = 0; k < n; k++) {
    out[2 * k] = Math.floor(((from + k) * step) / perSample);
    out[2 * k + 1] = Math.min(end, out[2 * k] + wide);
  }
  return out;
}
