import type { Patch } from '../core/fill/finish.ts';
import { partOf } from '../core/fill/sourceFrames.ts';
import { isNothing, type Trim } from '../core/fill/trim.ts';
import type { ColourModel } from '../core/image/colourModel.ts';
import {
  intersect,
  planeViews,
  type FrameFormat,
  type FrameReader,
  type PlaneFormat,
  type Rect,
} from '../core/image/format.ts';
import { fillOf, meanAlpha, trimmed } from './trimmedFill.ts';

/** What a hand changes of a fill, and what it needs to know of the clip. */
export interface HandTrim {
  trim: Trim;
  colour: ColourModel;
}

/**
 * Writes a patch into a frame, in place. A full take's patch carries the frame's own samples where the matte is 0;
 * a draft's is opaque and is mixed in by the matte. Either way everything outside the matte keeps its bits.
 *
 * @param frame - All planes, as stored.
 * @param mattes - Full-size mattes, read for a draft or a trimmed fill only.
 */
export function applyPatch(
  frame: Uint8Array,
  format: FrameFormat,
  patch: Patch,
  mattes: FrameReader,
  draft: boolean,
  hand?: HandTrim,
): void {
  const place = placeOf(patch, format);
  if (place.width === 0 || place.height === 0) return;
  const changes = hand !== undefined && !isNothing(hand.trim);
  const alpha = draft || changes ? readMatte(mattes, patch.frame, place) : undefined;
  const views = planeViews(frame, format);
  const planes =
    alpha && changes
      ? trimmed(fillOf({ frame, format, patch, alpha, place, draft }, hand.trim), patch, format, hand.trim, hand.colour)
      : patch.planes;
  if (alpha && changes) thin(alpha, hand.trim.opacity);
  planes.forEach((samples, plane) => {
    const part = { view: views[plane], format: format.planes[plane], samples, patch: patch.rect, place };
    if (alpha) blendPlane(part, alpha);
    else copyPlane(part);
  });
}

/** The part of the frame that a patch lies on. */
export const placeOf = ({ rect }: Patch, { width, height }: FrameFormat): Rect =>
  intersect(rect, { x: 0, y: 0, width, height });

/** A matte for a fill that is not wholly opaque. @param opacity - Percent. */
export function thin(alpha: Uint8Array, opacity: number): void {
  if (opacity < 100) for (let i = 0; i < alpha.length; i++) alpha[i] = Math.round((alpha[i] * opacity) / 100);
}

/** A plane of a frame and what is to be laid on it; rectangles in luma px, `place` being the patch within the frame. */
interface Part {
  view: Uint8Array | Uint16Array;
  format: PlaneFormat;
  samples: Uint16Array | Float32Array;
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

/** The matte of a part of a frame, 0..255 per luma px. */
export function readMatte(mattes: FrameReader, frame: number, place: Rect): Uint8Array {
  const { width } = mattes.format;
  const rows = new Uint8Array(width * place.height);
  mattes.readRows(frame, 0, place.y, place.height, rows);
  const out = new Uint8Array(place.width * place.height);
  for (let y = 0; y < place.height; y++) {
    out.set(rows.subarray(y * width + place.x, y * width + place.x + place.width), y * place.width);
  }
  return out;
}
