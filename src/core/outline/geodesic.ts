import { CHANNELS } from './colourModel.ts';
import type { PictureCut } from './pictureCut.ts';
import { floatsOf } from '../image/mapped.ts';

/** Sweeps over the picture and back. */
const SWEEPS = 3;
/** What a step of a px costs beside its change of colour, 8-bit levels. */
const STEP_COST = 1;

/**
 * The cheapest way from each px to a seed, where steps across edges are dear (geodesic distance by raster sweeps: Toivanen 1996).
 *
 * @param seeds - 1 where ways end.
 */
export function geodesicFrom(seeds: Uint8Array, { width: w, height: h, colours }: PictureCut): Float32Array {
  const d = floatsOf(seeds, (s) => (s ? 0 : Infinity));
  const lower = (i: number, j: number, length: number): void => {
    if (d[j] === Infinity) return;
    const [p, q] = [i * CHANNELS, j * CHANNELS];
    let change = 0;
    for (let c = 0; c < CHANNELS; c++) change += Math.abs(colours[p + c] - colours[q + c]);
    const way = d[j] + length * STEP_COST + change;
    if (way < d[i]) d[i] = way;
  };
  for (let sweep = 0; sweep < SWEEPS; sweep++) {
    for (const side of [-1, 1]) {
      for (let k = 0; k < w * h; k++) {
        const i = side < 0 ? k : w * h - 1 - k;
        const x = i % w;
        const [inRow, before] = [side < 0 ? x > 0 : x < w - 1, i + side * w];
        if (inRow) lower(i, i + side, 1);
        if (before < 0 || before >= w * h) continue;
        lower(i, before, 1);
        if (x > 0) lower(i, before - 1, Math.SQRT2);
        if (x < w - 1) lower(i, before + 1, Math.SQRT2);
      }
    }
  }
  return d;
}
