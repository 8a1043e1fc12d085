import { median } from '../src/core/geometry/linear.ts';
import type { Footage } from './footage.ts';
import { placesOf, type Picture } from './picture.ts';
import { at } from './world.ts';

/**
 * What a fill with perfect knowledge of motion and visibility would be: the robust mean of all truly visible samples,
 * with the light of each source brought to the frame's by the ratio of their truths' means over the hole.
 *
 * @param motions - Per source frame: places of the frame's grid in it.
 */
export function oracleFill(
  clip: Footage,
  truth: Footage,
  frame: number,
  hole: Uint8Array,
  touched: (frame: number) => Uint8Array,
  motions: Map<number, Float32Array>,
  cols: number,
): Picture {
  const p = clip.luma(frame);
  const { width: w } = p;
  const own = truth.luma(frame);
  const sources = [...motions].map(([s, grid]) => ({
    picture: clip.luma(s),
    mask: touched(s),
    grid,
    light: lightRatio(own, truth.luma(s), hole, grid, cols),
  }));
  const values = new Float64Array(sources.length);
  for (const i of placesOf(hole)) {
    let n = 0;
    for (const { picture, mask, grid, light } of sources) {
      const place = at(grid, cols, i % w, Math.floor(i / w));
      if (!place || mask[Math.round(place[1]) * w + Math.round(place[0])]) continue;
      values[n++] = cubicAt(picture, place[0], place[1]) * light;
    }
    if (n > 0) p.values[i] = robustMean(values.subarray(0, n));
  }
  return p;
}

/** Bicubic sample (Keys 1981). */
export function cubicAt(p: Picture, x: number, y: number): number {
  const ix = Math.min(p.width - 3, Math.max(1, Math.floor(x)));
  const iy = Math.min(p.height - 3, Math.max(1, Math.floor(y)));
  const [a, b, c, d] = cubicWeights(x - ix);
  const row = (r: number): number => {
    const k = (iy + r) * p.width + ix;
    return a * p.values[k - 1] + b * p.values[k] + c * p.values[k + 1] + d * p.values[k + 2];
  };
  const [e, f, g, h] = cubicWeights(y - iy);
  return e * row(-1) + f * row(0) + g * row(1) + h * row(2);
}

const cubicWeights = (f: number): [number, number, number, number] => [
  ((-0.5 * f + 1) * f - 0.5) * f,
  (1.5 * f - 2.5) * f * f + 1,
  ((-1.5 * f + 2) * f + 0.5) * f,
  (0.5 * f - 0.5) * f * f,
];

function lightRatio(own: Picture, other: Picture, hole: Uint8Array, grid: Float32Array, cols: number): number {
  let [a, b] = [0, 0];
  for (let i = 0; i < hole.length; i += 31) {
    if (!hole[i]) continue;
    const place = at(grid, cols, i % own.width, Math.floor(i / own.width));
    if (!place) continue;
    a += own.values[i];
    b += other.values[Math.round(place[1]) * own.width + Math.round(place[0])];
  }
  return b > 0 ? a / b : 1;
}

/** Mean of the values within 8 levels of the median: the grain averages out, a passer-by does not count. */
export function robustMean(values: Float64Array): number {
  const middle = median(values);
  let [sum, n] = [0, 0];
  for (const v of values) {
    if (Math.abs(v - middle) >= 8) continue;
    sum += v;
    n++;
  }
  return n === 0 ? middle : sum / n;
}
