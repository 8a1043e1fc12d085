import { AppError } from '../core/errors.ts';
import {
  bytesPerSample,
  frameBytes,
  maxSample,
  type FrameFormat,
  type FrameReader,
  type PlaneFormat,
} from '../core/image/format.ts';
import type { Patch } from '../core/fill/finish.ts';
import { meanAlpha } from './applyPatch.ts';
import { storedFormat, type StoredFormat } from './pixelFormat.ts';

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
}

/**
 * The fill of one frame alone: straight (unmultiplied) colour, alpha = the matte, and 0 in all planes where the matte
 * is 0. Laid over the original it gives the clean frame again, to rounding.
 *
 * @param target - See {@link alphaFormat}.
 */
export function fillFrame({ frame, format, patch, mattes, draft }: FillFrameInput, target: FrameFormat): Uint8Array {
  const out = new Uint8Array(frameBytes(target));
  if (!patch) return out;
  const { width, height } = format;
  const alpha = new Uint8Array(width * height);
  mattes.readRows(patch.frame, 0, 0, height, alpha);
  const read = planeViews(frame, format);
  const write = planeViews(out, target);
  const shift = target.depth - format.depth;
  for (let p = 0; p < format.colourPlanes; p++) {
    fillPlane(write[p], read[p], {
      plane: format.planes[p],
      patch,
      samples: patch.planes[p],
      alpha,
      width,
      height,
      draft,
      max: maxSample(format),
      shift,
    });
  }
  const top = write[target.planes.length - 1];
  const most = maxSample(target);
  for (let i = 0; i < alpha.length; i++) top[i] = Math.round((alpha[i] * most) / 255);
  return out;
}

interface PlaneWork {
  plane: PlaneFormat;
  patch: Patch;
  samples: Uint16Array;
  alpha: Uint8Array;
  width: number;
  height: number;
  draft: boolean;
  max: number;
  shift: number;
}

type Samples = Uint8Array | Uint16Array;

function fillPlane(out: Samples, own: Samples, work: PlaneWork): void {
  const { plane, patch, samples, alpha, draft, max, shift } = work;
  const whole = { x: 0, y: 0, width: work.width, height: work.height };
  const { rect } = patch;
  const stride = rect.width / plane.stepX;
  const rows = rect.height / plane.stepY;
  for (let r = 0; r < rows; r++) {
    const y = rect.y / plane.stepY + r;
    if (y < 0 || y >= plane.height) continue;
    for (let c = 0; c < stride; c++) {
      const x = rect.x / plane.stepX + c;
      if (x < 0 || x >= plane.width) continue;
      const a = meanAlpha(alpha, whole, x * plane.stepX, y * plane.stepY, plane.stepX, plane.stepY);
      if (a === 0) continue;
      const i = y * plane.width + x;
      const value = samples[r * stride + c];
      // A full take's samples are mixed with the frame's own already: the mixing is taken back.
      const pure = draft ? value : Math.min(max, Math.max(0, Math.round((value - own[i] * (1 - a)) / a)));
      out[i] = pure << shift;
    }
  }
}

function planeViews(frame: Uint8Array, format: FrameFormat): Samples[] {
  let at = frame.byteOffset;
  return format.planes.map((p) => {
    const n = p.width * p.height;
    const view =
      bytesPerSample(format) === 1 ? new Uint8Array(frame.buffer, at, n) : new Uint16Array(frame.buffer, at, n);
    at += n * bytesPerSample(format);
    return view;
  });
}
