import type { Rect } from '../image/format.ts';
import { floatsOf } from '../image/mapped.ts';

/** Where a raster passes from outside to inside. */
const HALF = 0.5;

/**
 * Signed distance of pixel centres from the line at which a raster's coverage passes a half, px: below 0 inside. ±reach beyond
 * that, and everywhere inside if all is. Pixels at the line get their distance from their own coverage, all others that
 * of the nearest pixel across (exact Euclidean transform by lower envelopes, Felzenszwalb & Huttenlocher 2012).
 *
 * @param cover - rect.width·rect.height, 0..1.
 */
export function rasterDistance(cover: Float32Array, rect: Rect, reach: number): Float32Array {
  const outside = squaredDistance(rect, (i) => cover[i] >= HALF);
  const inside = squaredDistance(rect, (i) => cover[i] < HALF);
  return floatsOf(cover, (c, i) => {
    const far = c >= HALF ? inside[i] : outside[i];
    const sign = c >= HALF ? -1 : 1;
    // A neighbour across the line: what the pixel itself says is finer than its distance in whole px.
    if (far === 1 && c > 0 && c < 1) return HALF - c;
    return sign * Math.min(reach, Math.sqrt(far) - HALF);
  });
}

/** Large enough for "none". */
const NONE = 1e12;

/** Squared distance of each pixel to the nearest one of a set. */
function squaredDistance({ width: w, height: h }: Rect, isIn: (i: number) => boolean): Float64Array {
  const out = new Float64Array(w * h);
  for (let i = 0; i < out.length; i++) out[i] = isIn(i) ? 0 : NONE;
  const lane = new Envelope(Math.max(w, h));
  for (let x = 0; x < w; x++) lane.transform(out, x, w, h);
  for (let y = 0; y < h; y++) lane.transform(out, y * w, 1, w);
  return out;
}

/** Lower envelope of parabolas along one row or column. */
class Envelope {
  private readonly values: Float64Array;
  private readonly at: Int32Array;
  private readonly from: Float64Array;

  constructor(length: number) {
    this.values = new Float64Array(length);
    this.at = new Int32Array(length);
    this.from = new Float64Array(length + 1);
  }

  transform(data: Float64Array, offset: number, step: number, n: number): void {
    const { values, at, from } = this;
    for (let i = 0; i < n; i++) values[i] = data[offset + i * step];
    let k = 0;
    at[0] = 0;
    from[0] = -Infinity;
    from[1] = Infinity;
    for (let q = 1; q < n; q++) {
      let s = meeting(values, q, at[k]);
      while (s <= from[k]) s = meeting(values, q, at[--k]);
      at[++k] = q;
      from[k] = s;
      from[k + 1] = Infinity;
    }
    k = 0;
    for (let q = 0; q < n; q++) {
      while (from[k + 1] < q) k++;
      data[offset + q * step] = (q - at[k]) ** 2 + values[at[k]];
    }
  }
}

/** Where the parabolas of two places meet. */
const meeting = (values: Float64Array, q: number, p: number): number =>
  (values[q] + q * q - values[p] - p * p) / (2 * (q - p));
