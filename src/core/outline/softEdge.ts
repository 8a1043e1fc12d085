import { boxMean } from '../image/boxMean.ts';
import { bytesOf, floatsOf } from '../image/mapped.ts';

/** Contrast, as a share of full scale, below which a window of the picture tells nothing about an edge. */
const FAINT = 0.025;
/** Contrast that counts as noise when a window's colours are told apart, as a share of full scale. */
const NOISE = 0.0125;
/** What the filter leaves of a px that is wholly in or out: taken for all or nothing. */
const REMAINS = 0.06;
const ROUNDS = 2;

/** Luma and two colour differences of each px, 0..1 of full scale; the latter are 0 where there is no colour. */
export type ColourGuide = readonly [Float32Array, Float32Array, Float32Array];

/**
 * How much of each px belongs to a thing, from its outline and the picture. Along the outline the picture decides: a linear
 * model of its colours in each window (guided image filter with a colour guide, He, Sun & Tang 2013); where it shows no
 * contrast there, and away from the outline, the outline's own edge stays.
 *
 * @param coverage - By the outline, 0..255, w·h.
 * @param picture - w·h px.
 * @param reach - How far on both sides of the outline the edge may lie, px.
 * @returns 0..255, w·h.
 */
export function softEdge(coverage: Uint8Array, picture: ColourGuide, w: number, h: number, reach: number): Uint8Array {
  const guide = new Guide(picture, w, h, Math.max(1, Math.round(reach / 2)));
  let share: Float32Array = floatsOf(coverage, (v) => v / 255);
  // What the first round leaves of an outline that lay beside the edge, the next ones take away.
  for (let round = 0; round < ROUNDS; round++) share = guide.filtered(share);
  return bytesOf(share, (v) => Math.round(255 * v));
}

/** A picture whose colours tell where edges lie. */
class Guide {
  private readonly means: readonly Float32Array[];
  /** Inverse of each window's covariance: its six different entries (00, 01, 02, 11, 12, 22). */
  private readonly inverse: readonly Float32Array[];
  /** 0..1, how much a window of the picture tells about an edge. */
  private readonly trust: Float32Array;

  constructor(
    private readonly picture: ColourGuide,
    private readonly w: number,
    private readonly h: number,
    private readonly radius: number,
  ) {
    this.means = picture.map((channel) => this.box(channel));
    const covariance = PAIRS.map(([i, j]) => this.covariance(picture[i], this.means[i], picture[j], this.means[j]));
    const [c00, , , c11, , c22] = covariance;
    this.trust = this.box(
      c00.map((v, k) => {
        const variance = v + c11[k] + c22[k];
        return variance / (variance + FAINT ** 2);
      }),
    );
    this.inverse = inverses(covariance);
  }

  filtered(share: Float32Array): Float32Array {
    const { picture, means, inverse, trust } = this;
    const meanP = this.box(share);
    const [x, y, z] = picture.map((channel, i) => this.covariance(channel, means[i], share, meanP));
    const [i00, i01, i02, i11, i12, i22] = inverse;
    const [a, b, c, offset] = [x, y, z, x].map((v) => new Float32Array(v.length));
    for (let k = 0; k < a.length; k++) {
      a[k] = i00[k] * x[k] + i01[k] * y[k] + i02[k] * z[k];
      b[k] = i01[k] * x[k] + i11[k] * y[k] + i12[k] * z[k];
      c[k] = i02[k] * x[k] + i12[k] * y[k] + i22[k] * z[k];
      offset[k] = meanP[k] - a[k] * means[0][k] - b[k] * means[1][k] - c[k] * means[2][k];
    }
    const [meanA, meanB, meanC, meanOffset] = [a, b, c, offset].map((v) => this.box(v));
    const out = share.slice();
    for (let k = 0; k < out.length; k++) {
      if (meanP[k] <= 0 || meanP[k] >= 1) continue;
      const told = meanA[k] * picture[0][k] + meanB[k] * picture[1][k] + meanC[k] * picture[2][k] + meanOffset[k];
      out[k] += trust[k] * (stretched(told) - out[k]);
    }
    return out;
  }

  private covariance(a: Float32Array, meanA: Float32Array, b: Float32Array, meanB: Float32Array): Float32Array {
    const products = new Float32Array(a.length);
    for (let k = 0; k < a.length; k++) products[k] = a[k] * b[k];
    const out = this.box(products);
    for (let k = 0; k < a.length; k++) out[k] -= meanA[k] * meanB[k];
    return out;
  }

  private box(values: Float32Array): Float32Array {
    return boxMean(values, this.w, this.h, this.radius);
  }
}

const PAIRS = [
  [0, 0],
  [0, 1],
  [0, 2],
  [1, 1],
  [1, 2],
  [2, 2],
] as const;

/** Inverses of symmetric 3×3 matrices with the noise on their diagonals, by cofactors. */
function inverses([m00, m01, m02, m11, m12, m22]: readonly Float32Array[]): Float32Array[] {
  const out = PAIRS.map(() => new Float32Array(m00.length));
  for (let k = 0; k < m00.length; k++) {
    const [a, b, c] = [m00[k] + NOISE ** 2, m01[k], m02[k]];
    const [d, e, f] = [m11[k] + NOISE ** 2, m12[k], m22[k] + NOISE ** 2];
    const [A, B, C] = [d * f - e * e, c * e - b * f, b * e - c * d];
    const q = 1 / (a * A + b * B + c * C);
    out[0][k] = A * q;
    out[1][k] = B * q;
    out[2][k] = C * q;
    out[3][k] = (a * f - c * c) * q;
    out[4][k] = (b * c - a * e) * q;
    out[5][k] = (a * d - b * b) * q;
  }
  return out;
}

const stretched = (v: number): number => Math.max(0, Math.min(1, (v - REMAINS) / (1 - 2 * REMAINS)));
