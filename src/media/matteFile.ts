import { closeSync, openSync, writeSync } from 'node:fs';
import type { FrameFormat, FrameReader } from '../core/image/format.ts';
import { patchOf, type MaskPatch } from '../core/movers/maskPatch.ts';
import { pauses } from './pauses.ts';
import { SmallMattes, TOUCHED } from './smallMattes.ts';

/** Writes all mattes at a draft's size, as a plain file like the full one. */
export async function writeSmallMattes(
  full: FrameReader,
  out: string,
  format: FrameFormat,
  factor: number,
  signal?: AbortSignal,
): Promise<void> {
  const small = new SmallMattes(full, format, factor);
  const fd = openSync(out, 'w');
  const pause = pauses(signal);
  try {
    for (let t = 0; t < full.count; t++) {
      full.format.planes.forEach((_, plane) => writeSync(fd, wholePlane(small, t, plane)));
      await pause();
    }
  } finally {
    closeSync(fd);
  }
}

/** What mattes touch, as masks at a draft's size; without any px where there is no matte. */
export async function smallMasks(
  full: FrameReader,
  format: FrameFormat,
  factor: number,
  signal?: AbortSignal,
): Promise<MaskPatch[]> {
  const small = new SmallMattes(full, format, factor);
  const pause = pauses(signal);
  const out: MaskPatch[] = [];
  for (let t = 0; t < full.count; t++) {
    const pixels: number[] = [];
    wholePlane(small, t, 0).forEach((v, i) => v === TOUCHED && pixels.push(i));
    out.push(patchOf(pixels, format.width));
    await pause();
  }
  return out;
}

function wholePlane(mattes: FrameReader, frame: number, plane: number): Uint8Array {
  const { width, height } = mattes.format;
  const out = new Uint8Array(width * height);
  mattes.readRows(frame, plane, 0, height, out);
  return out;
}
