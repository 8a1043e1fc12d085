import type { Patch } from '../core/fill/finish.ts';
import { planePart } from '../core/fill/sourceFrames.ts';
import { NO_TRIM, trimMatrix, type Trim } from '../core/fill/trim.ts';
import { rangeOf, type ColourModel } from '../core/image/colourModel.ts';
import { cubicWeights } from '../core/image/cubic.ts';
import { maxSample, planeViews, type FrameFormat, type PlaneFormat, type Rect } from '../core/image/format.ts';
import { planeMattes } from './planeMatte.ts';

/** A frame, a patch for it, and the matte of the patch's part of the frame (`place`), 0..255 per luma px. */
export interface Laid {
  frame: Uint8Array;
  format: FrameFormat;
  patch: Patch;
  alpha: Uint8Array;
  place: Rect;
  draft: boolean;
}

/** Matte under which what the mixing hid is too uncertain to be moved to where the matte is stronger. */
const FAINT = 0.1;

/**
 * The fill by itself, per plane over the patch's rectangle. A draft's patch is that already; a full take's is mixed with
 * the frame's own samples by the matte, which is taken back. What is to be moved is left mixed where the matte is faint.
 */
export function fillOf({ frame, format, patch, alpha, place, draft }: Laid, trim: Trim = NO_TRIM): Float32Array[] {
  const faint = trim.dx === 0 && trim.dy === 0 ? 0 : FAINT;
  const views = planeViews(frame, format);
  const mattes = planeMattes(alpha, place, format);
  return patch.planes.map((samples, plane) => {
    const out = Float32Array.from(samples);
    if (draft) return out;
    const p = format.planes[plane];
    const { x, y, width, height } = planePart(place, p);
    const stride = patch.rect.width / p.stepX;
    const { sums, full } = mattes[plane];
    for (let r = y, i = 0; r < y + height; r++) {
      const row = (r - patch.rect.y / p.stepY) * stride - patch.rect.x / p.stepX;
      for (let c = x; c < x + width; c++, i++) {
        const a = sums[i] / full;
        if (a <= faint || a === 1) continue;
        out[row + c] = (samples[row + c] - views[plane][r * p.width + c] * (1 - a)) / a;
      }
    }
    return out;
  });
}

/** A fill, moved and in the colours that a hand chose; in the clip's own samples, within their range. */
export function trimmed(
  fill: Float32Array[],
  { rect }: Patch,
  format: FrameFormat,
  trim: Trim,
  model: ColourModel,
): Float32Array[] {
  const { dx, dy } = trim;
  const sizes = format.planes.map((p) => ({ width: rect.width / p.stepX, height: rect.height / p.stepY }));
  const moved = fill.map((samples, plane) => {
    const { stepX, stepY } = format.planes[plane];
    const { width, height } = sizes[plane];
    const across = shifted(samples, width, height, dx / stepX, 1, width);
    return shifted(across, height, width, dy / stepY, width, 1);
  });
  return recoloured(moved, sizes, format, trim, model);
}

/**
 * Samples moved along one axis by cubic convolution; the border's repeat.
 *
 * @param n - Samples along the axis, `step` apart; there are `lines` of them, `lineStep` apart.
 */
function shifted(
  samples: Float32Array,
  n: number,
  lines: number,
  by: number,
  step: number,
  lineStep: number,
): Float32Array {
  if (by === 0) return samples;
  const out = new Float32Array(samples.length);
  const whole = Math.floor(-by);
  const taps = cubicWeights(-by - whole);
  for (let line = 0; line < lines; line++) {
    for (let i = 0; i < n; i++) {
      let sum = 0;
      for (let k = 0; k < 4; k++) {
        const from = Math.min(n - 1, Math.max(0, i + whole + k - 1));
        sum += taps[k] * samples[line * lineStep + from * step];
      }
      out[line * lineStep + i * step] = sum;
    }
  }
  return out;
}

interface Size {
  width: number;
  height: number;
}

function recoloured(
  planes: Float32Array[],
  sizes: Size[],
  format: FrameFormat,
  trim: Trim,
  model: ColourModel,
): Float32Array[] {
  const matrix = trimMatrix(trim, model);
  const top = maxSample(format);
  const ranges = planes.map((_, plane) => rangeOf(model, format, plane));
  return planes.map((samples, plane) => {
    const { width, height } = sizes[plane];
    const out = new Float32Array(samples.length);
    const { zero, one } = ranges[plane];
    const readers = planes.map((_, q) => beside(planes[q], sizes[q], format.planes[plane], format.planes[q]));
    for (let y = 0, i = 0; y < height; y++) {
      for (let x = 0; x < width; x++, i++) {
        let v = 0;
        for (let q = 0; q < planes.length; q++) {
          const share = matrix[3 * plane + q];
          if (share === 0) continue;
          const sample = q === plane ? samples[i] : readers[q](x, y);
          v += (share * (sample - ranges[q].zero)) / ranges[q].one;
        }
        out[i] = Math.min(top, Math.max(0, v * one + zero));
      }
    }
    return out;
  });
}

/** Reads a plane at the samples of another: the mean of those beneath a coarser one, the nearest of a coarser plane. */
function beside(
  samples: Float32Array,
  { width, height }: Size,
  at: PlaneFormat,
  of: PlaneFormat,
): (x: number, y: number) => number {
  const [across, down] = [at.stepX / of.stepX, at.stepY / of.stepY];
  return (x, y) => {
    let [sum, n] = [0, 0];
    for (let b = Math.floor(y * down); b < Math.min(height, Math.max(Math.floor(y * down) + 1, (y + 1) * down)); b++) {
      for (
        let a = Math.floor(x * across);
        a < Math.min(width, Math.max(Math.floor(x * across) + 1, (x + 1) * across));
        a++
      ) {
        sum += samples[b * width + a];
        n++;
      }
    }
    return sum / n;
  };
}
