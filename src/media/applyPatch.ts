import type { Patch } from '../core/fill/finish.ts';
import { partOf } from '../core/fill/sourceFrames.ts';
import {
  bytesPerSample,
  intersect,
  planeBytes,
  type FrameFormat,
  type FrameReader,
  type PlaneFormat,
  type Rect,
} from '../core/image/format.ts';

/**
 * Writes a patch into a frame, in place. A full take's patch carries the frame's own samples where the matte is 0;
 * a draft's is opaque and is mixed in by the matte. Either way everything outside the matte keeps its bits.
 *
 * @param frame - All planes, as stored.
 * @param mattes - Full-size mattes, read for a draft only.
 */
export function applyPatch(
  frame: Uint8Array,
  format: FrameFormat,
  patch: Patch,
  mattes: FrameReader,
  draft: boolean,
): void {
  const place = intersect(patch.rect, { x: 0, y: 0, width: format.width, height: format.height });
  if (place.width === 0 || place.height === 0) return;
  const alpha = draft ? readMatte(mattes, patch.frame, place) : undefined;
  let start = 0;
  patch.planes.forEach((samples, plane) => {
    const bytes = planeBytes(format, plane);
    const view =
      bytesPerSample(format) === 1
        ? frame.subarray(start, start + bytes)
        : new Uint16Array(frame.buffer, frame.byteOffset + start, bytes / 2);
    const part = { view, format: format.planes[plane], samples, patch: patch.rect, place };
    if (alpha) blendPlane(part, alpha);
    else copyPlane(part);
    start += bytes;
  });
}

/** A plane of a frame and what is to be laid on it; rectangles in luma px, `place` being the patch within the frame. */
interface Part {
  view: Uint8Array | Uint16Array;
  format: PlaneFormat;
  samples: Uint16Array;
  patch: Rect;
  place: Rect;
}

function* rowsOf({
  format: p,
  patch,
  place,
}: Part): Generator<{ y: number; x: number; to: number; from: number; n: number }> {
  const { x, y, width, height } = partOf(place, p);
  const stride = patch.width / p.stepX;
  for (let r = y; r < y + height; r++) {
    const from = (r - patch.y / p.stepY) * stride + x - patch.x / p.stepX;
    yield { y: r, x, to: r * p.width + x, from, n: width };
  }
}

function copyPlane(part: Part): void {
  for (const { to, from, n } of rowsOf(part)) part.view.set(part.samples.subarray(from, from + n), to);
}

function blendPlane(part: Part, alpha: Uint8Array): void {
  const { view, samples, place } = part;
  const { stepX, stepY } = part.format;
  for (const { y, x, to, from, n } of rowsOf(part)) {
    const top = y * stepY - place.y;
    const row = top * place.width + x * stepX - place.x;
    if (stepX === 1 && stepY === 1) {
      for (let i = 0; i < n; i++) {
        const a = alpha[row + i];
        if (a > 0) view[to + i] = Math.round(view[to + i] + ((samples[from + i] - view[to + i]) * a) / 255);
      }
      continue;
    }
    for (let i = 0; i < n; i++) {
      // Most of a patch lies outside the hole: one look at the nearest px of the matte skips it.
      if (alpha[row + i * stepX] === 0 && (stepX === 1 || alpha[row + i * stepX + 1] === 0)) {
        if (stepY === 1 || top + 1 >= place.height) continue;
        if (alpha[row + place.width + i * stepX] === 0 && alpha[row + place.width + i * stepX + 1] === 0) continue;
      }
      const a = meanAlpha(alpha, place, (x + i) * stepX - place.x, top, stepX, stepY);
      if (a > 0) view[to + i] = Math.round(view[to + i] + (samples[from + i] - view[to + i]) * a);
    }
  }
}

/** Mean matte (0..1) of the luma px under a sample; (x, y) in px of the matte's part. */
export function meanAlpha(alpha: Uint8Array, place: Rect, x: number, y: number, stepX: number, stepY: number): number {
  let sum = 0;
  for (let b = y; b < Math.min(y + stepY, place.height); b++) {
    for (let a = x; a < Math.min(x + stepX, place.width); a++) sum += alpha[b * place.width + a];
  }
  return sum / (255 * stepX * stepY);
}

function readMatte(mattes: FrameReader, frame: number, place: Rect): Uint8Array {
  const { width } = mattes.format;
  const rows = new Uint8Array(width * place.height);
  mattes.readRows(frame, 0, place.y, place.height, rows);
  const out = new Uint8Array(place.width * place.height);
  for (let y = 0; y < place.height; y++) {
    out.set(rows.subarray(y * width + place.x, y * width + place.x + place.width), y * place.width);
  }
  return out;
}
