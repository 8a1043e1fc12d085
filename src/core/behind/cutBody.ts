import { UNSEEN_SUPPORT } from '../fill/complete.ts';
import type { Gathered } from '../fill/gathered.ts';
import { ramp } from '../geometry/ramp.ts';
import { shrunk, type FrameFormat, type Rect } from '../image/format.ts';
import { boxMean } from '../image/boxMean.ts';
import { shrunkMeans } from '../image/shrunkMeans.ts';
import { distanceFrom, type MaskPatch } from '../movers/maskPatch.ts';

/** A body cut out of its background: what is under it is multiplied by `keep`, and `add` is added. */
export interface BodyLayer {
  /** Place of the layer in its frame, luma px. */
  rect: Rect;
  /** Per colour plane, at the plane's size. */
  planes: { keep: Float32Array; add: Float32Array }[];
}

/**
 * Difference from the background, times what is usual around, at which a px begins to be body, and is body alone: near the edge of the
 * small mask, and within it. What is seen through a body (between spokes) is background even there.
 */
const AT_EDGE = { from: 1.5, to: 3.5 };
const WITHIN = { from: 1, to: 2 };
/** Difference at which a px begins to be shade, and is shade alone. */
const SHADED = { from: 1, to: 2 };
/** How much a difference of colour counts, against one of luma. */
const CHROMA_TIMES = 2;
/** How far outside of the small mask the body may reach, and from where on it is within, px of the small frames. */
const REACH = 1.5;
const INSIDE = 1.5;
/** Share of the sources that must agree about a background to tell a body by it. */
const AGREED = 0.6;
/** So far outside a difference is usual, px of the small frames; and at least so many px, each some apart, tell what is. */
const OUTSIDE = 3;
const LEAST_OUTSIDE = 60;
const EVERY = 7;
/** The share of them that is at most as unlike as usual. */
const USUAL_RANK = 0.9;
/** Share of body from which a px shows what the frame shows, and nothing of what is behind it elsewhere. */
const TAKEN = 1 / 3;

/** A body as the small frames show it. */
export interface SmallBody {
  mask: MaskPatch;
  /** With its shadow, and what else may be a part of it. */
  whole: MaskPatch;
}

/**
 * Cuts a body out of a frame by how it differs from its background, which other frames show (difference matting: Qian & Sezan, ICIP
 * 1992). Where px show both, what the background adds is taken out of them. Its shadow, and thin dark parts that the small mask does not
 * have, darken what they lie on.
 *
 * @param gathered - Of a part of the frame, with what other frames show behind the body.
 * @param factor - Px of the frame per px of the small frames.
 */
export function cutBody(gathered: Gathered, format: FrameFormat, body: SmallBody, factor: number): BodyLayer {
  const { rect } = gathered.region;
  const near = nearness(body.mask, factor, rect);
  const whole = nearness(body.whole, factor, rect);
  const unlike = unlikenessOf(gathered, format);
  const usual = usualOf(unlike, whole, gathered.tau);
  const alpha = alphaOf(gathered, near, unlike, usual);
  const shade = shadeOf(gathered, whole, unlike, usual);
  const planes = gathered.planes.map((behind, p) =>
    layerOf({ rect, alpha, shade }, gathered.own[p], behind, format, p),
  );
  return { rect, planes };
}

/** One plane of a layer. */
function layerOf(
  { rect, alpha, shade }: { rect: Rect; alpha: Float32Array; shade: Float32Array },
  own: Float32Array,
  behind: Float32Array,
  format: FrameFormat,
  plane: number,
): BodyLayer['planes'][number] {
  const { stepX, stepY } = format.planes[plane];
  const neutral = plane === 0 || format.rgb ? 0 : 2 ** (format.depth - 1);
  const [body, light] = [alpha, shade].map((values) => shrunkMeans(values, rect, stepX, stepY));
  const keep = new Float32Array(body.length);
  const add = new Float32Array(body.length);
  for (let i = 0; i < keep.length; i++) {
    const a = body[i];
    const dark = light[i];
    const taken = Math.min(1, a / TAKEN);
    keep[i] = (1 - taken * a) * (1 - (1 - taken) * (1 - dark));
    add[i] = taken * (own[i] - (1 - a) * behind[i]) + (1 - taken) * (1 - dark) * neutral;
  }
  return { keep, add };
}

/** How much of each luma px is body, 0..1. What lies under a matte, or at it, is somebody else. */
function alphaOf(
  { region: { rect, known }, support, share }: Gathered,
  near: Float32Array,
  unlike: Float32Array,
  usual: number,
): Float32Array {
  const out = new Float32Array(near.length);
  for (let i = 0; i < out.length; i++) {
    if (near[i] <= -REACH || known[i] === 0) continue;
    const differs = unlike[i] / usual;
    if (support[i] <= UNSEEN_SUPPORT || share[i] < AGREED) out[i] = near[i] > 0 ? 1 : 0;
    else out[i] = near[i] < INSIDE ? ramp(differs, AT_EDGE.from, AT_EDGE.to) : ramp(differs, WITHIN.from, WITHIN.to);
  }
  // Single px tell little: most of those around must be body too.
  const smooth = boxMean(out, rect.width, rect.height, 1);
  for (let i = 0; i < smooth.length; i++) smooth[i] = ramp(smooth[i], 0.25, 0.75);
  return smooth;
}

/** What is left of the light where a shadow lies, 0..1 per luma px. */
function shadeOf(gathered: Gathered, whole: Float32Array, unlike: Float32Array, usual: number): Float32Array {
  const {
    region: { rect, known },
    own: [own],
    planes: [behind],
    support,
    share,
  } = gathered;
  const out = new Float32Array(whole.length).fill(1);
  const [here, there] = [own, behind].map((samples) => boxMean(samples, rect.width, rect.height, 1));
  for (let i = 0; i < out.length; i++) {
    if (whole[i] <= -REACH || known[i] === 0 || here[i] >= there[i]) continue;
    if (support[i] <= UNSEEN_SUPPORT || share[i] < AGREED) continue;
    const shaded = ramp(unlike[i] / usual, SHADED.from, SHADED.to) * ramp(whole[i], -REACH, 0);
    out[i] = 1 - shaded * (1 - here[i] / there[i]);
  }
  return out;
}

/** How unlike px are that show the background, most of them: told outside of the body, by some of them. */
function usualOf(unlike: Float32Array, whole: Float32Array, tau: number): number {
  const outside: number[] = [];
  for (let i = 0; i < unlike.length; i += EVERY) if (whole[i] < -OUTSIDE) outside.push(unlike[i]);
  if (outside.length < LEAST_OUTSIDE) return tau;
  return Math.max(Float32Array.from(outside).sort()[Math.floor(USUAL_RANK * outside.length)], tau / 10);
}

/** How unlike a frame is to what others show behind it, without its grain, per luma px. */
function unlikenessOf({ region: { rect }, own, planes }: Gathered, format: FrameFormat): Float32Array {
  const { width, height } = rect;
  const out = new Float32Array(width * height);
  planes.forEach((behind, p) => {
    const { stepX, stepY } = format.planes[p];
    const across = width / stepX;
    const less = new Float32Array(behind.length);
    for (let i = 0; i < less.length; i++) less[i] = own[p][i] - behind[i];
    const difference = boxMean(less, across, height / stepY, 1);
    const times = p === 0 || format.rgb ? 1 : CHROMA_TIMES;
    for (let y = 0, i = 0; y < height; y++) {
      const row = Math.floor(y / stepY) * across;
      for (let x = 0; x < width; x++, i++) out[i] += times * Math.abs(difference[row + Math.floor(x / stepX)]);
    }
  });
  return out;
}

/** How far inside a small mask each px of a rectangle lies, px of the small frames; below 0 outside of it. */
function nearness(mask: MaskPatch, factor: number, rect: Rect): Float32Array {
  const small = shrunk(rect, factor);
  const wide = { x: small.x - 1, y: small.y - 1, width: small.width + 2, height: small.height + 2 };
  const away = distanceFrom(mask, wide);
  const out = new Float32Array(rect.width * rect.height);
  for (let y = 0, i = 0; y < rect.height; y++) {
    const v = (rect.y + y + 0.5) / factor - 0.5 - wide.y;
    const row = Math.floor(v);
    const b = v - row;
    for (let x = 0; x < rect.width; x++, i++) {
      const u = (rect.x + x + 0.5) / factor - 0.5 - wide.x;
      const column = Math.floor(u);
      const a = u - column;
      const k = row * wide.width + column;
      const above = away[k] * (1 - a) + away[k + 1] * a;
      const below = away[k + wide.width] * (1 - a) + away[k + wide.width + 1] * a;
      out[i] = -(above * (1 - b) + below * b);
    }
  }
  return out;
}
