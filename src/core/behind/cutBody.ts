import { UNSEEN_SUPPORT } from '../fill/complete.ts';
import type { Gathered } from '../fill/gathered.ts';
import { shrunk, type FrameFormat, type Rect } from '../image/format.ts';
import { boxMean } from '../image/boxMean.ts';
import { distanceFrom, type MaskPatch } from '../movers/maskPatch.ts';

/** A body cut out of its background: what is under it is multiplied by `keep`, and `add` is added. */
export interface BodyLayer {
  /** Place of the layer in its frame, luma px. */
  rect: Rect;
  /** Per colour plane, at the plane's size. */
  planes: { keep: Float32Array; add: Float32Array }[];
}

/** Difference from the background, in units of what counts as agreeing, at which a px begins to be body, and is body alone. */
const FROM = 0.8;
const FULL = 2;
/** How much a difference of colour counts, against one of luma. */
const CHROMA_TIMES = 2;
/** How far outside of the small mask the body may reach, and inside of it is body whatever it looks like, px of the small frames. */
const REACH = 1.5;
const INSIDE = 1.5;
/** Share of body from which a px shows what the frame shows, and nothing of what is behind it elsewhere. */
const TAKEN = 1 / 3;

/**
 * Cuts a body out of a frame by how it differs from its background, which other frames show (difference matting: Qian & Sezan, ICIP
 * 1992). Where px show both, what the background adds is taken out of them.
 *
 * @param gathered - Of a part of the frame, with what other frames show behind the body.
 * @param mask - The body in small frames.
 * @param factor - Px of the frame per px of the small frames.
 */
export function cutBody(gathered: Gathered, format: FrameFormat, mask: MaskPatch, factor: number): BodyLayer {
  const { rect } = gathered.region;
  const alpha = alphaOf(gathered, format, mask, factor);
  const planes = gathered.planes.map((behind, p) => {
    const { stepX, stepY } = format.planes[p];
    const [width, height] = [rect.width / stepX, rect.height / stepY];
    const keep = new Float32Array(width * height).fill(1);
    const add = new Float32Array(width * height);
    for (let y = 0, i = 0; y < height; y++) {
      for (let x = 0; x < width; x++, i++) {
        const a = meanOf(alpha, rect.width, x * stepX, y * stepY, stepX, stepY);
        const taken = Math.min(1, a / TAKEN);
        keep[i] = 1 - taken * a;
        add[i] = taken * (gathered.own[p][i] - (1 - a) * behind[i]);
      }
    }
    return { keep, add };
  });
  return { rect, planes };
}

/** How much of each luma px is body, 0..1. */
function alphaOf(gathered: Gathered, format: FrameFormat, mask: MaskPatch, factor: number): Float32Array {
  const { region, own, planes, support, tau } = gathered;
  const { rect } = region;
  const { width, height } = rect;
  const near = nearness(mask, factor, rect);
  const out = new Float32Array(width * height);
  for (let y = 0, i = 0; y < height; y++) {
    for (let x = 0; x < width; x++, i++) {
      if (near[i] <= -REACH) continue;
      if (near[i] >= INSIDE) out[i] = 1;
      else if (support[i] <= UNSEEN_SUPPORT) out[i] = near[i] > 0 ? 1 : 0;
      else {
        let unlike = 0;
        planes.forEach((behind, p) => {
          const { stepX, stepY } = format.planes[p];
          const k = Math.floor(y / stepY) * (width / stepX) + Math.floor(x / stepX);
          unlike += Math.abs(own[p][k] - behind[k]) * (p === 0 || format.rgb ? 1 : CHROMA_TIMES);
        });
        out[i] = ramp(unlike / tau, FROM, FULL);
      }
    }
  }
  // Single px tell little: most of those around must be body too.
  const smooth = boxMean(out, width, height, 1);
  return smooth.map((v) => ramp(v, 0.25, 0.75));
}

const ramp = (v: number, from: number, to: number): number => Math.max(0, Math.min(1, (v - from) / (to - from)));

function meanOf(values: Float32Array, width: number, x: number, y: number, w: number, h: number): number {
  if (w === 1 && h === 1) return values[y * width + x];
  let sum = 0;
  for (let v = y; v < y + h; v++) for (let u = x; u < x + w; u++) sum += values[v * width + u];
  return sum / (w * h);
}

/** How far inside a small mask each px of a rectangle lies, px of the small frames; below 0 outside of it. */
function nearness(mask: MaskPatch, factor: number, rect: Rect): Float32Array {
  const small = shrunk(rect, factor);
  const wide = { x: small.x - 1, y: small.y - 1, width: small.width + 2, height: small.height + 2 };
  const away = distanceFrom(mask, wide);
  const out = new Float32Array(rect.width * rect.height);
  for (let y = 0, i = 0; y < rect.height; y++) {
    const v = (rect.y + y + 0.5) / factor - 0.5 - wide.y;
    const [r, b] = [Math.floor(v), v - Math.floor(v)];
    for (let x = 0; x < rect.width; x++, i++) {
      const u = (rect.x + x + 0.5) / factor - 0.5 - wide.x;
      const [c, a] = [Math.floor(u), u - Math.floor(u)];
      const k = r * wide.width + c;
      const [above, below] = [
        away[k] * (1 - a) + away[k + 1] * a,
        away[k + wide.width] * (1 - a) + away[k + wide.width + 1] * a,
      ];
      out[i] = -(above * (1 - b) + below * b);
    }
  }
  return out;
}
