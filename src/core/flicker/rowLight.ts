import { median } from '../geometry/linear.ts';
import { bilinear } from '../image/bilinear.ts';
import { bytesPerSample, type FrameReader } from '../image/format.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import type { BlockedAt } from '../motion/links.ts';

/** Frames before and after with which one is compared: at distances that no lamp's rhythm divides. */
const OFFSETS = [1, 2, 3, 5, 8, 13];
/** Levels that tell how light changes, 8 bits: what is darker is noise, what is brighter is cut off. */
const [DARKEST, BRIGHTEST] = [24, 235];
/** Px that must tell of half a row. */
const LEAST_PX = 8;
/** Black, 8-bit levels. */
export const BLACK = 16;

/** By how much lighter the rows of a frame are than the same places in another one: natural logarithms, NaN where that is not known. */
export interface RowPair {
  other: number;
  /** Told for the picture's halves apart. */
  left: Float32Array;
  right: Float32Array;
  /** The row of the other frame at which the middle of each row lies. */
  rows: Float32Array;
}

/** The light of a frame's rows against that of frames around. */
export interface RowLight {
  frame: number;
  pairs: RowPair[];
}

/** A frame's luma, 8-bit levels. */
interface Luma {
  frame: number;
  values: Float32Array;
}

/**
 * Measures the light of a frame's rows.
 *
 * @param frames - Small ones: a px is a mean over many.
 * @param motion - In their px.
 * @param blocked - Whether something that goes away stands at a place, in their px.
 */
export function rowLightOf(frames: FrameReader, motion: CameraMotion, frame: number, blocked: BlockedAt): RowLight {
  const own = lumaOf(frames, frame);
  const others = OFFSETS.flatMap((d) => [frame - d, frame + d]).filter(
    (s) => s >= 0 && s < frames.count && motion.sameScene(frame, s),
  );
  return { frame, pairs: others.map((s) => pairOf(frames, motion, own, lumaOf(frames, s), blocked)) };
}

function pairOf(frames: FrameReader, motion: CameraMotion, own: Luma, other: Luma, blocked: BlockedAt): RowPair {
  const { width, height } = frames.format;
  const places = placesIn(motion, own.frame, other.frame, width, height);
  const isFree = (t: number, level: number, x: number, y: number): boolean =>
    level > DARKEST && level < BRIGHTEST && !blocked(t, x, y);
  const lightOf = (y: number, from: number, to: number): number => {
    const logs: number[] = [];
    for (let x = from; x < to; x++) {
      const i = y * width + x;
      const [u, v] = [places[2 * i], places[2 * i + 1]];
      if (!isFree(own.frame, own.values[i], x, y)) continue;
      if (!(u >= 0 && v >= 0 && u < width - 1 && v < height - 1)) continue;
      const there = bilinear(other.values, width, u, v);
      if (isFree(other.frame, there, u, v)) logs.push(Math.log((own.values[i] - BLACK) / (there - BLACK)));
    }
    return logs.length < LEAST_PX ? NaN : median(logs);
  };
  const middle = width >> 1;
  const rows = Float32Array.from({ length: height }, (_, y) => y);
  return {
    other: other.frame,
    left: rows.map((y) => lightOf(y, 0, middle)),
    right: rows.map((y) => lightOf(y, middle, width)),
    rows: rows.map((y) => places[2 * (y * width + middle) + 1]),
  };
}

function lumaOf(frames: FrameReader, frame: number): Luma {
  const { format } = frames;
  const bytes = new Uint8Array(format.width * format.height * bytesPerSample(format));
  frames.readRows(frame, 0, 0, format.height, bytes);
  const samples = bytesPerSample(format) === 1 ? bytes : new Uint16Array(bytes.buffer);
  const unit = 2 ** (format.depth - 8);
  return { frame, values: Float32Array.from(samples, (v) => v / unit) };
}

function placesIn(motion: CameraMotion, from: number, to: number, width: number, height: number): Float32Array {
  const places = Float32Array.from({ length: 2 * width * height }, (_, i) =>
    i % 2 === 0 ? (i >> 1) % width : Math.floor((i >> 1) / width),
  );
  motion.map(from, to, places);
  return places;
}
