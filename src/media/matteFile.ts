import { closeSync, openSync, writeSync } from 'node:fs';
import type { FrameFormat, FrameReader } from '../core/image/format.ts';
import { pauses } from './pauses.ts';
import { patchOf, type MaskPatch } from '../core/movers/maskPatch.ts';

/** Writes all mattes at a draft's size, as a plain file like the full one. */
export async function writeSmallMattes(
  full: FrameReader,
  out: string,
  small: FrameFormat,
  factor: number,
  signal?: AbortSignal,
): Promise<void> {
  const fd = openSync(out, 'w');
  const pause = pauses(signal);
  try {
    for (let t = 0; t < full.count; t++) {
      full.format.planes.forEach((_, plane) => writeSync(fd, shrinkMatte(full, t, plane, small, factor)));
      await pause();
    }
  } finally {
    closeSync(fd);
  }
}

/** Mattes at a draft's size as masks, one px wider than what they touch; without any px where there is no matte. */
export async function smallMasks(
  full: FrameReader,
  small: FrameFormat,
  factor: number,
  signal?: AbortSignal,
): Promise<MaskPatch[]> {
  const pause = pauses(signal);
  const out: MaskPatch[] = [];
  for (let t = 0; t < full.count; t++) {
    const pixels: number[] = [];
    shrinkMatte(full, t, 0, small, factor).forEach((v, i) => v > 0 && pixels.push(i));
    out.push(patchOf(pixels, small.width));
    await pause();
  }
  return out;
}

/**
 * A matte at a draft's size: what the full matte touches at all is removed whole, so that nothing of the thing is
 * blended into a small fill and carried back to full size.
 */
function shrinkMatte(full: FrameReader, frame: number, plane: number, small: FrameFormat, factor: number): Uint8Array {
  const { width, height } = full.format;
  const source = new Uint8Array(width * height);
  full.readRows(frame, plane, 0, height, source);
  const out = new Uint8Array(small.width * small.height);
  const words = new Uint32Array(source.buffer, 0, source.length >> 2);
  for (let i = 0; i < words.length; i++) {
    if (words[i] === 0) continue;
    for (let k = 4 * i; k < 4 * i + 4; k++)
      if (source[k] > 0) mark(out, small, k % width, Math.floor(k / width), factor);
  }
  for (let k = words.length * 4; k < source.length; k++) {
    if (source[k] > 0) mark(out, small, k % width, Math.floor(k / width), factor);
  }
  return out;
}

/** Value of a sample whose neighbours have been marked as well; the neighbours alone get one less. */
const DONE = 255;

function mark(out: Uint8Array, small: FrameFormat, x: number, y: number, factor: number): void {
  const u = Math.min(small.width - 1, Math.floor(x / factor));
  const v = Math.min(small.height - 1, Math.floor(y / factor));
  const at = v * small.width + u;
  if (out[at] === DONE) return;
  // One px around as well: the cubic that enlarges the fill reads it.
  for (let j = Math.max(0, v - 1); j <= Math.min(small.height - 1, v + 1); j++) {
    for (let i = Math.max(0, u - 1); i <= Math.min(small.width - 1, u + 1); i++) out[j * small.width + i] ||= 254;
  }
  out[at] = DONE;
}
