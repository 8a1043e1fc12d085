import { median } from '../src/core/geometry/linear.ts';
import type { Footage } from './footage.ts';
import { type Picture } from './picture.ts';
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
  for (let i = 0; i < hole.length; i++) {
    if (!hole[i]) continue;
    const values = sources.flatMap(({ picture, mask, grid, light }) => {
      const place = at(grid, cols, i % w, Math.floor(i / w));
      if (!place || mask[Math.round(place[1]) * w + Math.round(place[0])]) return [];
      return [cubicAt(picture, place[0], place[1]) * light];
    });
    if (values.length > 0) p.values[i] = robustMean(values);
  }
  return p;
}

/** Bicubic sample (Keys 1981). */
function cubicAt(p: Picture, x: number, y: number): number {
  const ix = Math.min(p.width - 3, Math.max(1, Math.floor(x)));
  const iy = Math.min(p.height - 3, Math.max(1, Math.floor(y)));
  const weights = (f: number): number[] => [
    ((-0.5 * f + 1) * f - 0.5) * f,
    (1.5 * f - 2.5) * f * f + 1,
    ((-1.5 * f + 2) * f + 0.5) * f,
    (0.5 * f - 0.5) * f * f,
  ];
  const [wx, wy] = [weights(x - ix), weights(y - iy)];
  let sum = 0;
  for (let j = 0; j < 4; j++)
    for (let i = 0; i < 4; i++) sum += wx[i] * wy[j] * p.values[(iy - 1 + j) * p.width + ix - 1 + i];
  return sum;
}

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
function robustMean(values: number[]): number {
  const middle = median(values);
  const near = values.filter((v) => Math.abs(v - middle) < 8);
  return near.length === 0 ? middle : near.reduce((s, v) => s + v, 0) / near.length;
}
