import type { PlaceIn, Witnesses } from '../depth/tileWindows.ts';
import type { FrameReader } from '../image/format.ts';
import type { Kernels } from '../../kernels/index.ts';
import { Pyramids } from '../motion/pyramids.ts';
import { blockedCells } from './blocked.ts';
import { paintedFrames, smallFormat } from './frames.ts';
import { gaussFrom } from './random.ts';

/** A film of two halves at different depths: the far one on the left stands still, the near one moves. */
export const TWO_DEPTHS = {
  width: 320,
  height: 64,
  count: 13,
  /** The frame in which the border between the halves lies at `border`. */
  frame: 6,
  border: 160,
  /** Px per frame to the right. */
  parallax: 5,
} as const;
const { width, height, count, frame, border, parallax } = TWO_DEPTHS;

const gauss = gaussFrom(5);
const noise = Float32Array.from({ length: 1024 * height }, gauss);
/** A texture whose details are a few px wide. */
function texture(x: number, y: number): number {
  let sum = 0;
  for (let v = 0; v < 3; v++) {
    for (let u = 0; u < 3; u++) sum += noise[((y + v) % height) * 1024 + ((x + u + 512) % 1024)];
  }
  return 120 + 4 * sum;
}

export const farSample = (x: number, y: number): number => texture(x, y);
/** @param t - The frame. */
export const nearSample = (x: number, y: number, t: number): number => texture(x - parallax * (t - frame) + 300, y);

/**
 * @param at - Where the border lies in frame 6.
 * @param hides - Whether something else stands before a px of a frame.
 */
export function twoDepths(
  at: number = border,
  hides: (frame: number, x: number, y: number) => boolean = () => false,
): FrameReader {
  return paintedFrames(smallFormat(width, height), count, (x, y, _plane, t) => {
    if (hides(t, x, y)) return (7 * x + 13 * y) % 256;
    return x - parallax * (t - frame) < at ? farSample(x, y) : nearSample(x, y, t);
  });
}

export const witnessesOf = (kernels: Kernels, frames: FrameReader, tileSide: number): Witnesses => ({
  kernels,
  pyramids: new Pyramids(kernels, frames, count),
  blocked: blockedCells(frames),
  frame,
  sources: [0, 2, 4, 8, 10, 12],
  tileSide,
  unit: 1,
});

/** Places of frame 6 on either half. */
export const onFar: PlaceIn = () => true;
export const onNear: PlaceIn = (source, points) => {
  for (let i = 0; i < points.length; i += 2) points[i] += parallax * (source - frame);
  return true;
};
