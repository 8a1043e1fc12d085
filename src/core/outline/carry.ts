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
 * @param guess - Way that it has gone about.
 */
export function carry(mask: MaskPatch, from: PictureCut, to: PictureCut, guess: Point = { x: 0, y: 0 }): Carried {
  const whole = bestShift(insidePx(mask, mask, 3), from, to, guess, REACH, 0).shift;
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

/** Shifts up to a reach each way, the nearest first. */
function shiftsWithin(reach: number): (Point & { way: number })[] {
  const side = Array.from({ length: 2 * reach + 1 }, (_, i) => i - reach);
  return side.flatMap((y) => side.map((x) => ({ x, y, way: Math.hypot(x, y) }))).sort((a, b) => a.way - b.way);
}
const SHIFTS = new Map([REACH, OWN_REACH].map((reach) => [reach, shiftsWithin(reach)]));

/** The shift near a guess under which px look most alike. */
function bestShift(
  px: Int32Array,
  from: PictureCut,
  to: PictureCut,
  guess: Point,
  reach: number,
  wayCost: number,
): { shift: Point; difference: number } {
  const part = partOf(px, from, to);
  let best = { shift: guess, difference: Infinity, cost: Infinity };
  for (const { x, y, way } of SHIFTS.get(reach)!) {
    if (wayCost * way >= best.cost) break;
    const shift = { x: guess.x + x, y: guess.y + y };
    const difference = differenceUnder(part, to, shift, best.cost - wayCost * way);
    const cost = difference + wayCost * way;
    if (cost < best.cost) best = { shift, difference, cost };
  }
  return best;
}

/** Px that are looked for in another picture. */
interface Part {
  /** x, y interleaved, and the box around them. */
  px: Int32Array;
  box: Rect;
  /** CHANNELS of each. */
  colours: Float32Array;
  /** Where the colours of the same px lie in the other picture. */
  places: Int32Array;
}

function partOf(px: Int32Array, from: PictureCut, to: PictureCut): Part {
  const n = px.length / 2;
  const [colours, places] = [new Float32Array(n * CHANNELS), new Int32Array(n)];
  let [x0, y0, x1, y1] = [Infinity, Infinity, -Infinity, -Infinity];
  for (let k = 0; k < n; k++) {
    const [x, y] = [px[2 * k], px[2 * k + 1]];
    [x0, y0, x1, y1] = [Math.min(x0, x), Math.min(y0, y), Math.max(x1, x), Math.max(y1, y)];
    const p = ((y - from.y) * from.width + x - from.x) * CHANNELS;
    for (let c = 0; c < CHANNELS; c++) colours[k * CHANNELS + c] = from.colours[p + c];
    places[k] = ((y - to.y) * to.width + x - to.x) * CHANNELS;
  }
  return { px, box: { x: x0, y: y0, width: x1 - x0 + 1, height: y1 - y0 + 1 }, colours, places };
}

/**
 * Mean difference per channel; px that leave the picture do not count, unless most do.
 * @param most - From here on it need not be exact.
 */
function differenceUnder(part: Part, to: PictureCut, { x, y }: Point, most: number): number {
  const { box, colours: a, places } = part;
  const left = box.x + x - to.x;
  const top = box.y + y - to.y;
  if (left < 0 || top < 0 || left + box.width > to.width || top + box.height > to.height) {
    return differenceWithin(part, to, x, y);
  }
  const b = to.colours;
  const shift = (y * to.width + x) * CHANNELS;
  const enough = most * a.length;
  let sum = 0;
  for (let k = 0, p = 0; k < places.length && sum < enough; k++, p += CHANNELS) {
    const q = places[k] + shift;
    sum += Math.abs(a[p] - b[q]) + Math.abs(a[p + 1] - b[q + 1]) + Math.abs(a[p + 2] - b[q + 2]);
  }
  return places.length === 0 || sum >= enough ? Infinity : sum / a.length;
}

/** The same where some of the px leave the picture. */
function differenceWithin({ px, colours: a, places }: Part, to: PictureCut, x: number, y: number): number {
  const b = to.colours;
  const shift = (y * to.width + x) * CHANNELS;
  let [sum, n] = [0, 0];
  for (let k = 0; k < places.length; k++) {
    const [u, v] = [px[2 * k] + x - to.x, px[2 * k + 1] + y - to.y];
    if (u < 0 || v < 0 || u >= to.width || v >= to.height) continue;
    const [p, q] = [k * CHANNELS, places[k] + shift];
    sum += Math.abs(a[p] - b[q]) + Math.abs(a[p + 1] - b[q + 1]) + Math.abs(a[p + 2] - b[q + 2]);
    n++;
  }
  return 2 * n < places.length || n === 0 ? Infinity : sum / (n * CHANNELS);
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
