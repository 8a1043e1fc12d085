import type { Rect } from '../image/format.ts';
import { bytesOf, floatsOf } from '../image/mapped.ts';

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
  const inside = bytesOf(cover, (c) => (c >= HALF ? 1 : 0));
  const far = squaredAcross(inside, rect, Math.ceil(reach) + 1);
  return floatsOf(cover, (c, i) => {
    // A neighbour across the line: what the pixel itself says is finer than its distance in whole px.
    if (far[i] === 1 && c > 0 && c < 1) return HALF - c;
    const d = Math.min(reach, Math.sqrt(far[i]) - HALF);
    return inside[i] ? -d : d;
  });
}

/** Large enough for "none". */
const NONE = 1e12;

/** Squared distance of each pixel to the nearest one of the other kind; any larger one beyond `most` px. */
function squaredAcross(inside: Uint8Array, { width: w, height: h }: Rect, most: number): Float64Array {
  const away = acrossColumns(inside, w, h, most);
  const out = new Float64Array(w * h).fill(NONE);
  const envelope = new Envelope(w);
  for (let y = 0; y < h; y++) {
    for (const kind of [0, 1]) {
      envelope.clear();
      // To the pixels of one kind those of the other are at hand, and what lies across in the columns of its own.
      for (let x = 0, i = y * w; x < w; x++, i++) {
        if (inside[i] !== kind) envelope.add(x, 0);
        else if (away[i] < most) envelope.add(x, away[i] * away[i]);
      }
      envelope.read(inside.subarray(y * w, (y + 1) * w), kind, out.subarray(y * w, (y + 1) * w));
    }
  }
  return out;
}

/** Distance of each pixel to the nearest one of the other kind in its column, at most `most` px. */
function acrossColumns(inside: Uint8Array, w: number, h: number, most: number): Int32Array {
  const away = new Int32Array(w * h).fill(most);
  for (let i = w; i < away.length; i++) {
    away[i] = inside[i] === inside[i - w] ? Math.min(most, away[i - w] + 1) : 1;
  }
  for (let i = away.length - w - 1; i >= 0; i--) {
    const below = inside[i] === inside[i + w] ? away[i + w] + 1 : 1;
    if (below < away[i]) away[i] = below;
  }
  return away;
}

/** Lower envelope of parabolas along a row, of those that are added from left to right. */
class Envelope {
  private readonly values: Float64Array;
  private readonly at: Int32Array;
  private readonly from: Float64Array;
  private last = -1;

  constructor(length: number) {
    this.values = new Float64Array(length);
    this.at = new Int32Array(length);
    this.from = new Float64Array(length + 1);
  }

  clear(): void {
    this.last = -1;
  }

  add(q: number, value: number): void {
    const { values, at, from } = this;
    values[q] = value;
    let k = this.last;
    let s = -Infinity;
    while (k >= 0 && (s = this.meeting(q, at[k])) <= from[k]) k--;
    at[++k] = q;
    from[k] = k === 0 ? -Infinity : s;
    from[k + 1] = Infinity;
    this.last = k;
  }

  /** Writes the envelope where a row is of a kind. */
  read(row: Uint8Array, kind: number, out: Float64Array): void {
    if (this.last < 0) return;
    const { values, at, from } = this;
    let k = 0;
    for (let q = 0; q < row.length; q++) {
      while (from[k + 1] < q) k++;
      if (row[q] === kind) out[q] = (q - at[k]) ** 2 + values[at[k]];
    }
  }

  /** Where the parabolas of two places meet. */
  private meeting(q: number, p: number): number {
    const { values } = this;
    return (values[q] + q * q - values[p] - p * p) / (2 * (q - p));
  }
}
