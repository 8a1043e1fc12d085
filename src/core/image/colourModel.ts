import { multiply3, type Matrix3 } from '../geometry/homography.ts';
import { maxSample, type FrameFormat } from './format.ts';

/** What the samples of a frame mean (ITU-R BT.601, BT.709, BT.2020; H.273 for the ranges). */
export interface ColourModel {
  kind: 'ycc' | 'rgb' | 'grey';
  /** Shares of red and blue in luma. */
  kr: number;
  kb: number;
  /** Whether samples use all values, not 16..235 (240) of 8 bit. */
  full: boolean;
}

/**
 * From a colour as stored (a frame's planes in order, as parts of their range: luma 0..1, chroma -0.5..0.5) to
 * non-linear R'G'B', row by row; of `rgb` the planes are G, B, R.
 */
export function toRgb({ kind, kr, kb }: ColourModel): Matrix3 {
  if (kind === 'grey') return Float64Array.of(1, 0, 0, 1, 0, 0, 1, 0, 0);
  if (kind === 'rgb') return Float64Array.of(0, 0, 1, 1, 0, 0, 0, 1, 0);
  const kg = 1 - kr - kb;
  const [u, v] = [2 * (1 - kb), 2 * (1 - kr)];
  return Float64Array.of(1, 0, v, 1, (-kb * u) / kg, (-kr * v) / kg, 1, u, 0);
}

/** The other way round; of grey, luma alone. */
export function fromRgb({ kind, kr, kb }: ColourModel): Matrix3 {
  const kg = 1 - kr - kb;
  if (kind === 'grey') return Float64Array.of(kr, kg, kb, 0, 0, 0, 0, 0, 0);
  if (kind === 'rgb') return Float64Array.of(0, 1, 0, 0, 0, 1, 1, 0, 0);
  const [u, v] = [2 * (1 - kb), 2 * (1 - kr)];
  return Float64Array.of(kr, kg, kb, -kr / u, -kg / u, (1 - kb) / u, (1 - kr) / v, -kg / v, -kb / v);
}

/** A plane's sample that means 0, and how many samples mean 1. */
export function rangeOf(
  { kind, full }: ColourModel,
  format: FrameFormat,
  plane: number,
): { zero: number; one: number } {
  const levels = 2 ** (format.depth - 8);
  const chroma = kind === 'ycc' && plane > 0;
  if (full) return { zero: chroma ? 128 * levels : 0, one: maxSample(format) };
  return chroma ? { zero: 128 * levels, one: 224 * levels } : { zero: 16 * levels, one: 219 * levels };
}

/** A linear change of R'G'B' as one of the colour as stored. */
export const storedChange = (model: ColourModel, change: Matrix3): Matrix3 =>
  multiply3(fromRgb(model), multiply3(change, toRgb(model)));
