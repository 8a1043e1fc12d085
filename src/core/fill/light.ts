import { median } from '../geometry/linear.ts';

/** How samples of a source become samples of the frame: gain·v + offset; `sigma` is what remains. */
export interface LightFit {
  gain: number;
  offset: number;
  /** Robust standard deviation of the remaining difference, sample units; NaN where nothing was measured. */
  sigma: number;
}

/** Pairs needed for an offset, and for a gain as well. */
const NEEDED_OFFSET = 24;
const NEEDED_GAIN = 120;
const ROUNDS = 4;
/** Pull of the gain towards 1, as variance of the samples at 8 bit: a flat rim says nothing about contrast. */
const RIDGE = 6;

/**
 * Robust gain and offset from pairs (source, target) by reweighted least squares (Holland & Welsch 1977).
 *
 * @param unit - Sample units per 8-bit level.
 */
export function fitLight(source: Float32Array, target: Float32Array, unit: number): LightFit {
  const n = source.length;
  if (n < NEEDED_OFFSET) return { gain: 1, offset: 0, sigma: NaN };
  const difference = new Float64Array(n);
  for (let i = 0; i < n; i++) difference[i] = target[i] - source[i];
  let gain = 1;
  let offset = median(difference);
  let sigma = spreadOf(source, target, gain, offset);
  for (let round = 0; round < ROUNDS && n >= NEEDED_GAIN; round++) {
    ({ gain, offset } = weightedLine(source, target, gain, offset, Math.max(sigma, unit / 4) * 2, RIDGE * unit * unit));
    sigma = spreadOf(source, target, gain, offset);
  }
  return { gain, offset, sigma };
}

function weightedLine(
  x: Float32Array,
  y: Float32Array,
  gain: number,
  offset: number,
  scale: number,
  ridge: number,
): { gain: number; offset: number } {
  let [sw, sx, sy, sxx, sxy] = [0, 0, 0, 0, 0];
  for (let i = 0; i < x.length; i++) {
    const e = (y[i] - gain * x[i] - offset) / scale;
    const w = 1 / (1 + e * e) ** 2;
    sw += w;
    sx += w * x[i];
    sy += w * y[i];
    sxx += w * x[i] * x[i];
    sxy += w * x[i] * y[i];
  }
  const [mx, my] = [sx / sw, sy / sw];
  const g = (sxy / sw - mx * my + ridge) / (sxx / sw - mx * mx + ridge);
  return { gain: g, offset: my - g * mx };
}

function spreadOf(x: Float32Array, y: Float32Array, gain: number, offset: number): number {
  const step = Math.max(1, Math.floor(x.length / 200));
  const errors: number[] = [];
  for (let i = 0; i < x.length; i += step) errors.push(Math.abs(y[i] - gain * x[i] - offset));
  return 1.4826 * median(errors);
}
