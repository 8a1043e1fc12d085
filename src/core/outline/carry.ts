import { at, type MaskPatch } from '../movers/maskPatch.ts';
import type { Rect } from '../image/format.ts';
import type { Point } from '../geometry/homography.ts';
import { CHANNELS } from './colourModel.ts';
import type { PictureCut } from './pictureCut.ts';

/** Farthest that a thing may get from one frame to the next, and a part of it beyond that, px of the reduced pictures. */
export const REACH = 10;
const OWN_REACH = 4;
/** Side of the parts that are followed by themselves, px. */
const CELL = 10;
/** Px of the mask that a part needs. */
const LEAST_PX = 20;
/** What a px of way costs against a difference of one 8-bit level per px: in flat parts the way of the whole holds. */
const WAY_COST = 0.35;
/** Difference per px and channel up to which a part counts as found again, 8-bit levels. */
const FOUND = 12;

/** A mask taken along to another frame. */
export interface Carried {
  mask: MaskPatch;
  /** Share of its px whose part was found again. */
  found: number;
}

/**
 * Takes a mask along from one frame to another: first as a whole, then part by part (block matching), so that arms and legs
 * swing. All in px of the reduced pictures, which must reach {@link REACH} px beyond the mask.
 */
export function carry(mask: MaskPatch, from: PictureCut, to: PictureCut): Carried {
  const whole = bestShift(insidePx(mask, mask, 3), from, to, { x: 0, y: 0 }, REACH, 0).shift;
  const moved: number[] = [];
  let [found, all] = [0, 0];
  for (let y = mask.y; y < mask.y + mask.height; y += CELL) {
    for (let x = mask.x; x < mask.x + mask.width; x += CELL) {
      const own = insidePx(mask, { x, y, width: CELL, height: CELL }, 1);
      if (own.length === 0) continue;
      // A sliver goes with what lies around it.
      const around =
        own.length >= 2 * LEAST_PX
          ? own
          : insidePx(mask, { x: x - CELL / 2, y: y - CELL / 2, width: 2 * CELL, height: 2 * CELL }, 2);
      const { shift, difference } = bestShift(around, from, to, whole, OWN_REACH, WAY_COST);
      all += own.length;
      if (difference < FOUND) found += own.length;
      for (let k = 0; k < own.length; k += 2) moved.push(own[k] + shift.x, own[k + 1] + shift.y);
    }
  }
  return { mask: closed(moved, to), found: all > 0 ? found / all : 0 };
}

/** Px of a mask within a part, every `step`th both ways: x, y interleaved. */
function insidePx(mask: MaskPatch, part: Rect, step: number): Int32Array {
  const out: number[] = [];
  for (let y = part.y; y < part.y + part.height; y += step) {
    for (let x = part.x; x < part.x + part.width; x += step) if (at(mask, x, y)) out.push(x, y);
  }
  return Int32Array.from(out);
}

/** The shift near a guess under which px look most alike. */
function bestShift(
  px: Int32Array,
  from: PictureCut,
  to: PictureCut,
  guess: Point,
  reach: number,
  wayCost: number,
): { shift: Point; difference: number } {
  let best = { shift: guess, difference: Infinity, cost: Infinity };
  for (let dy = -reach; dy <= reach; dy++) {
    for (let dx = -reach; dx <= reach; dx++) {
      const shift = { x: guess.x + dx, y: guess.y + dy };
      const way = wayCost * Math.hypot(dx, dy);
      if (way >= best.cost) continue;
      const difference = differenceUnder(px, from, to, shift);
      const cost = difference + way;
      if (cost < best.cost) best = { shift, difference, cost };
    }
  }
  return best;
}

/** Mean difference per channel; px that leave the picture do not count, unless most do. */
function differenceUnder(px: Int32Array, from: PictureCut, to: PictureCut, shift: Point): number {
  const [a, b, w] = [from.colours, to.colours, from.width];
  let [sum, n] = [0, 0];
  for (let k = 0; k < px.length; k += 2) {
    const [u, v] = [px[k] + shift.x - to.x, px[k + 1] + shift.y - to.y];
    if (u < 0 || v < 0 || u >= to.width || v >= to.height) continue;
    const p = ((px[k + 1] - from.y) * w + px[k] - from.x) * CHANNELS;
    const q = (v * to.width + u) * CHANNELS;
    sum += Math.abs(a[p] - b[q]) + Math.abs(a[p + 1] - b[q + 1]) + Math.abs(a[p + 2] - b[q + 2]);
    n++;
  }
  return 4 * n < px.length || n === 0 ? Infinity : sum / (n * CHANNELS);
}

/** A mask of the given px within a picture, with the cracks between them filled. */
function closed(px: readonly number[], { x, y, width, height }: PictureCut): MaskPatch {
  const w = width;
  const data = new Uint8Array(w * height);
  for (let k = 0; k < px.length; k += 2) {
    const [u, v] = [px[k] - x, px[k + 1] - y];
    if (u >= 0 && v >= 0 && u < w && v < height) data[v * w + u] = 1;
  }
  const wide = data.slice();
  for (let i = w + 1; i < data.length - w - 1; i++) {
    if (!data[i]) continue;
    for (const j of [i - w - 1, i - w, i - w + 1, i - 1, i + 1, i + w - 1, i + w, i + w + 1]) wide[j] = 1;
  }
  const out = wide.slice();
  for (let i = w + 1; i < data.length - w - 1; i++) {
    if (wide[i]) continue;
    for (const j of [i - w - 1, i - w, i - w + 1, i - 1, i + 1, i + w - 1, i + w, i + w + 1]) out[j] = data[j];
  }
  return { x, y, width: w, height, data: out };
}
