import { boxMean } from '../image/boxMean.ts';
import { PATCH_REACH, type Incomplete } from './patches.ts';

const SMALLEST_SIDE = 28;
/** How much texture counts, against a level of colour; and half the side of the square that it is measured in, px. */
const TEXTURE_TIMES = 2.5;
const TEXTURE_REACH = 6;

/** A picture with its texture, and ever smaller ones, until what is missing is no thicker than a patch reaches. */
export function levelsOf(picture: Incomplete): Incomplete[] {
  const levels = [{ ...picture, colour: withTexture(picture) }];
  for (let p = levels[0]; Math.min(p.width, p.height) / 2 >= SMALLEST_SIDE && thickness(p) > PATCH_REACH;) {
    p = halvePicture(p);
    levels.push(p);
  }
  return levels;
}

/** The picture with, as fourth value, how steep luma is around each px on the mean, of what is known. */
function withTexture({ width: w, height: h, colour, missing }: Incomplete): Float32Array {
  const steep = new Float32Array(w * h);
  const known = new Float32Array(w * h);
  for (let y = 0; y + 1 < h; y++) {
    for (let x = 0, i = y * w; x + 1 < w; x++, i++) {
      if (missing[i] || missing[i + 1] || missing[i + w]) continue;
      known[i] = 1;
      steep[i] = Math.abs(colour[4 * i + 4] - colour[4 * i]) + Math.abs(colour[4 * (i + w)] - colour[4 * i]);
    }
  }
  const [sum, count] = [boxMean(steep, w, h, TEXTURE_REACH), boxMean(known, w, h, TEXTURE_REACH)];
  const out = colour.slice();
  for (let i = 0; i < sum.length; i++) out[4 * i + 3] = (TEXTURE_TIMES * sum[i]) / Math.max(count[i], 1e-6);
  return out;
}

/** Half size: the mean of the known ones of four pixels; missing where fewer than two are known. */
function halvePicture({ width: w, height: h, colour, missing }: Incomplete): Incomplete {
  const [ow, oh] = [w >> 1, h >> 1];
  const out = { width: ow, height: oh, colour: new Float32Array(ow * oh * 4), missing: new Uint8Array(ow * oh) };
  for (let y = 0; y < oh; y++) {
    for (let x = 0; x < ow; x++) {
      let known = 0;
      const at = (y * ow + x) * 4;
      for (const i of [
        2 * y * w + 2 * x,
        2 * y * w + 2 * x + 1,
        (2 * y + 1) * w + 2 * x,
        (2 * y + 1) * w + 2 * x + 1,
      ]) {
        if (missing[i]) continue;
        known++;
        for (let c = 0; c < 4; c++) out.colour[at + c] += colour[4 * i + c];
      }
      for (let c = 0; c < 4; c++) out.colour[at + c] /= Math.max(1, known);
      out.missing[y * ow + x] = known < 2 ? 1 : 0;
    }
  }
  return out;
}

/** Largest distance of a missing pixel from a known one, px (city block, two passes). */
function thickness({ width: w, height: h, missing }: Incomplete): number {
  const d = new Int32Array(w * h);
  let most = 0;
  for (let i = 0; i < d.length; i++) {
    if (missing[i]) d[i] = 1 + Math.min(i % w > 0 ? d[i - 1] : 0, i >= w ? d[i - w] : 0);
  }
  for (let i = d.length - 1; i >= 0; i--) {
    if (!missing[i]) continue;
    d[i] = Math.min(d[i], 1 + Math.min(i % w < w - 1 ? d[i + 1] : 0, i + w < d.length ? d[i + w] : 0));
    most = Math.max(most, d[i]);
  }
  return most;
}
