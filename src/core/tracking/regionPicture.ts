import type { Kernels } from '../../kernels/index.ts';
import { bytesPerSample, intersect, snap, type FrameReader, type Rect } from '../image/format.ts';

/** Levels of a region's pyramid; each has half the size of the one before. */
export const LEVELS = 5;
/** Corners of regions lie on multiples of this, so that all levels share it. */
const STEP = 2 ** (LEVELS - 1);
/** Samples are brought to this depth, so that small levels keep fractions of a display level. */
const WORK_BITS = 14;
const SMALLEST = 24;

export interface PictureLevel {
  /** Place of the 16-bit plane in kernel memory. */
  at: number;
  width: number;
  height: number;
}

/** Luma of a part of one frame with its halved levels: sample (i, j) of level n lies at (x, y) + (i, j)·2ⁿ of the frame. */
export interface RegionPicture {
  x: number;
  y: number;
  levels: PictureLevel[];
}

/**
 * Reads a part of a frame's luma and builds its pyramid (Burt & Adelson 1983) in kernel memory; inside
 * {@link Kernels.scoped} it is gone with the scope.
 *
 * @param around - Wanted part, frame px; what lies outside the frame is left out.
 */
export function readRegion(kernels: Kernels, frames: FrameReader, frame: number, around: Rect): RegionPicture {
  const { width, height } = frames.format;
  const part = intersect(snap(around, STEP), { x: 0, y: 0, width, height });
  const levels: PictureLevel[] = [{ at: kernels.alloc(part.width * part.height * 2), ...sizeOf(part) }];
  readPlane(kernels, frames, frame, part, levels[0]);
  while (levels.length < LEVELS) {
    const from = levels[levels.length - 1];
    if (Math.min(from.width, from.height) / 2 < SMALLEST) break;
    const [w, h] = [Math.ceil(from.width / 2), Math.ceil(from.height / 2)];
    const level = { at: kernels.alloc(w * h * 2), width: w, height: h };
    kernels.scoped(() =>
      kernels.run.halve(from.at, from.width, from.height, level.at, kernels.alloc((from.width + 32) * 4)),
    );
    levels.push(level);
  }
  return { x: part.x, y: part.y, levels };
}

const sizeOf = ({ width, height }: Rect): { width: number; height: number } => ({ width, height });

function readPlane(kernels: Kernels, frames: FrameReader, frame: number, part: Rect, level: PictureLevel): void {
  const { width: stride } = frames.format.planes[0];
  const bytes = bytesPerSample(frames.format);
  if (part.width === 0 || part.height === 0) return;
  kernels.scoped(() => {
    const rows = kernels.alloc(stride * part.height * bytes);
    frames.readRows(frame, 0, part.y, part.height, kernels.u8(rows, stride * part.height * bytes));
    const { depth } = frames.format;
    kernels.run.cutPlane(rows, stride, part.x, bytes, depth, part.width, part.height, level.at, WORK_BITS);
  });
}
