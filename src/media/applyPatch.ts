import type { Patch } from '../core/fill/finish.ts';
import { planePart } from '../core/fill/sourceFrames.ts';
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
import { matteUnder, planeMattes, type PlaneMatte } from './planeMatte.ts';
import { fillOf, trimmed } from './trimmedFill.ts';

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
  const alpha = draft || changes ? matteUnder(patch, mattes, place) : undefined;
  const views = planeViews(frame, format);
  const planes =
    alpha && changes
      ? trimmed(fillOf({ frame, format, patch, alpha, place, draft }, hand.trim), patch, format, hand.trim, hand.colour)
      : patch.planes;
  if (alpha && changes) thin(alpha, hand.trim.opacity);
  const matte = alpha && planeMattes(alpha, place, format);
  planes.forEach((samples, plane) => {
    const part = { view: views[plane], format: format.planes[plane], samples, patch: patch.rect, place };
    if (matte) blendPlane(part, matte[plane]);
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
  const { x, y, width, height } = planePart(place, p);
  const stride = patch.width / p.stepX;
  for (let r = y; r < y + height; r++) {
    const from = (r - patch.y / p.stepY) * stride + x - patch.x / p.stepX;
    yield { y: r, x, to: r * p.width + x, from, n: width };
  }
}

function copyPlane(part: Part): void {
  for (const { to, from, n } of rowsOf(part)) part.view.set(part.samples.subarray(from, from + n), to);
}

function blendPlane(part: Part, { sums, full }: PlaneMatte): void {
  let at = 0;
  for (const { to, from, n } of rowsOf(part)) {
    blendRow(part.view, to, part.samples, from, sums, at, n, full);
    at += n;
  }
}

function blendRow(
  view: Uint8Array | Uint16Array,
  to: number,
  samples: Uint16Array | Float32Array,
  from: number,
  sums: Uint16Array,
  at: number,
  n: number,
  full: number,
): void {
  for (let i = 0; i < n; i++) {
    const a = sums[at + i];
    if (a > 0) view[to + i] = Math.round(view[to + i] + ((samples[from + i] - view[to + i]) * a) / full);
  }
}
