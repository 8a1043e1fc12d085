import { median } from '../geometry/linear.ts';

/** How samples of a source become samples of the frame: gain·v + offset; `sigma` is what remains. */
export interface LightFit {
  gain: number;
  offset: number;
  /** Robust standard deviation of the remaining difference, sample units; NaN where nothing was measured. */
  sigma: number;
  /** Variance of luma within windows that the frame shows and the source does not: above 0 if the source is softer, sample units². */
  lost: number;
}

/** Pairs needed for an offset, and for a gain as well. */
const NEEDED_OFFSET = 10;
const NEEDED_GAIN = 50;
const ROUNDS = 4;
/** Pull of the gain towards 1, as variance of the windows' means at 8 bit: a flat rim says nothing about contrast. */
const RIDGE = 2;

/**
 * Robust gain and offset from pairs (source, target) by reweighted least squares (Holland & Welsch 1977).
 *
 * @param unit - Sample units per 8-bit level.
 * @returns undefined if there are too few pairs.
 */
export function fitLight(
  source: Float32Array,
  target: Float32Array,
  unit: number,
): Pick<LightFit, 'gain' | 'offset'> | undefined {
  const n = source.length;
  if (n < NEEDED_OFFSET) return undefined;
  let light = { gain: 1, offset: median(target.map((v, i) => v - source[i])) };
  for (let round = 0; round < ROUNDS && n >= NEEDED_GAIN; round++) {
    const scale = Math.max(spreadOf(source, target, light), unit / 4) * 2;
    light = weightedLine(source, target, light, scale, RIDGE * unit * unit);
  }
  return light;
}

function weightedLine(
  x: Float32Array,
  y: Float32Array,
  { gain, offset }: Pick<LightFit, 'gain' | 'offset'>,
  scale: number,
  ridge: number,
): Pick<LightFit, 'gain' | 'offset'> {
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

/** Robust standard deviation of what a light leaves of the difference of some pairs; NaN if there are none. */
export function spreadOf(
  x: Float32Array,
  y: Float32Array,
  { gain, offset }: Pick<LightFit, 'gain' | 'offset'>,
): number {
  if (x.length === 0) return NaN;
  const step = Math.max(1, Math.floor(x.length / 200));
  const errors: number[] = [];
  for (let i = 0; i < x.length; i += step) errors.push(Math.abs(y[i] - gain * x[i] - offset));
  return 1.4826 * median(errors);
}
