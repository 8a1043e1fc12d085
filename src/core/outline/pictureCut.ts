import { bytesPerSample, intersect, type FrameReader, type Rect } from '../image/format.ts';
import { CHANNELS } from './colourModel.ts';

/** Part of a frame at a reduced size. Its rectangle is in px of that size: px (x, y) covers `step`² px of the frame. */
export interface PictureCut extends Rect {
  /** Px of the frame per px: a power of two. */
  step: number;
  /** Three values per px, 8-bit levels: luma and chroma, or green, blue and red; grey pictures repeat their luma. */
  colours: Float32Array;
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
  const [across, down] = [Math.max(1, step / stepX), Math.max(1, step / stepY)];
  const level = 2 ** (8 - depth);
  for (let v = 0, i = channel; v < height; v++) {
    const top = Math.floor(((y + v) * step) / stepY);
    const bottom = Math.min(h, top + down);
    for (let u = 0; u < width; u++, i += CHANNELS) {
      const left = Math.floor(((x + u) * step) / stepX);
      const right = Math.min(w, left + across);
      let sum = 0;
      for (let r = top - first; r < bottom - first; r++) for (let k = left; k < right; k++) sum += samples[r * w + k];
      out[i] = (sum * level) / ((bottom - top) * (right - left));
    }
  }
}
