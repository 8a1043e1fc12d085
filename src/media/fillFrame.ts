import { AppError } from '../core/errors.ts';
import type { Patch } from '../core/fill/finish.ts';
import { planePart } from '../core/fill/sourceFrames.ts';
import {
  frameBytes,
  maxSample,
  planeViews,
  type FrameFormat,
  type FrameReader,
  type Rect,
} from '../core/image/format.ts';
import { placeOf, thin, type HandTrim } from './applyPatch.ts';
import { storedFormat, type StoredFormat } from './pixelFormat.ts';
import { matteUnder, planeMattes, type PlaneMatte } from './planeMatte.ts';
import { fillOf, trimmed } from './trimmedFill.ts';

/** Depths that FFV1 takes with alpha. */
const ALPHA_DEPTHS = [8, 10, 16];

/**
 * The format of a fill with alpha: the clip's own planes and one of alpha.
 * @throws AppError `pixel_format` for grey footage, which has no such format.
 */
export function alphaFormat({ pixelFormat, format }: StoredFormat): StoredFormat {
  if (format.colourPlanes === 1) {
    throw new AppError('pixel_format', 'Grey footage has no fill with alpha. Export the clean shot and the matte.');
  }
  const depth = ALPHA_DEPTHS.find((d) => d >= format.depth)!;
  const bits = depth === 8 ? '' : `${depth}le`;
  const family = pixelFormat.startsWith('gbr') ? 'gbrap' : `yuva${/4[24][024]/.exec(pixelFormat)?.[0]}p`;
  return storedFormat(family + bits, format.width, format.height);
}

interface FillFrameInput {
  /** The frame beneath the take, as stored. */
  frame: Uint8Array;
  format: FrameFormat;
  patch: Patch | undefined;
  mattes: FrameReader;
  draft: boolean;
  hand?: HandTrim;
}

/**
 * The fill of one frame alone: straight (unmultiplied) colour, alpha = the matte, and 0 in all planes where the matte
 * is 0. Laid over the original it gives the clean frame again, to rounding.
 *
 * @param target - See {@link alphaFormat}.
 */
export function fillFrame(input: FillFrameInput, target: FrameFormat): Uint8Array {
  const { frame, format, patch, mattes, draft, hand } = input;
  const out = new Uint8Array(frameBytes(target));
  if (!patch) return out;
  const place = placeOf(patch, format);
  const alpha = matteUnder(patch, mattes, place);
  const fill = fillOf({ frame, format, patch, alpha, place, draft }, hand?.trim);
  const planes = hand ? trimmed(fill, patch, format, hand.trim, hand.colour) : fill;
  thin(alpha, hand?.trim.opacity ?? 100);
  const write = planeViews(out, target);
  const matte = planeMattes(alpha, place, format);
  planes.forEach((samples, plane) =>
    writePlane(write[plane], samples, { format, target, plane, patch, matte: matte[plane], place }),
  );
  writeAlpha(write[target.planes.length - 1], alpha, place, target);
  return out;
}

type Samples = Uint8Array | Uint16Array;

interface PlaneWork {
  format: FrameFormat;
  target: FrameFormat;
  plane: number;
  patch: Patch;
  matte: PlaneMatte;
  place: Rect;
}

function writePlane(out: Samples, samples: Float32Array, work: PlaneWork): void {
  const { format, target, patch, matte, place } = work;
  const p = format.planes[work.plane];
  const part = planePart(place, p);
  const stride = patch.rect.width / p.stepX;
  const [top, shift] = [maxSample(format), target.depth - format.depth];
  for (let y = part.y, i = 0; y < part.y + part.height; y++) {
    const row = (y - patch.rect.y / p.stepY) * stride - patch.rect.x / p.stepX;
    for (let x = part.x; x < part.x + part.width; x++, i++) {
      if (matte.sums[i] > 0) out[y * p.width + x] = Math.min(top, Math.max(0, Math.round(samples[row + x]))) << shift;
    }
  }
}

function writeAlpha(out: Samples, alpha: Uint8Array, { x, y, width, height }: Rect, target: FrameFormat): void {
  const most = maxSample(target);
  for (let r = 0; r < height; r++) {
    for (let c = 0; c < width; c++) {
      out[(y + r) * target.width + x + c] = Math.round((alpha[r * width + c] * most) / 255);
    }
  }
}
