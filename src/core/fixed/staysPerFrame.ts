import { dilated } from '../image/dilated.ts';
import type { Rect } from '../image/format.ts';
import { SlotCache } from '../image/lru.ts';
import { BESIDE, CHANGING, FIXED } from './stays.ts';

/** Tells what of rows of a frame stays: per px {@link FIXED}, {@link BESIDE} or 0. */
export type StaysAt = (frame: number, y: number, rows: number) => Uint8Array;

/** Frames of which it is held what stays. */
const SLOTS = 32;

/** Tells which px of a part of a frame have a colour of the letters: 1 per px, row after row. */
export type PaintedAt = (frame: number, part: Rect) => Uint8Array;

/**
 * What stays, digits that change told by their colours in each frame, with the soft px around them.
 *
 * @param mask - Per px of the mattes, of `staysMask`.
 * @param painted - undefined if that cannot be told: then all that changes stays.
 */
export function staysPerFrame(mask: Uint8Array, width: number, painted: PaintedAt | undefined): StaysAt {
  const box = boxOfChanging(mask, width);
  const area = box.width * box.height;
  const slots = Array.from({ length: painted ? SLOTS : 1 }, () => new Uint8Array(area));
  const told = new SlotCache(slots, (frame, stays) => {
    if (painted) stays.set(dilated(painted(frame, box), box.width, box.height));
    else stays.fill(1);
  });
  return (frame, y, rows) => {
    const part = mask.subarray(y * width, (y + rows) * width);
    const [top, end] = [Math.max(y, box.y), Math.min(y + rows, box.y + box.height)];
    if (top >= end) return part;
    const out = part.slice();
    const stays = told.get(frame);
    for (let v = top; v < end; v++) {
      for (let u = 0; u < box.width; u++) {
        const i = (v - y) * width + box.x + u;
        if (out[i] === CHANGING) out[i] = stays[(v - box.y) * box.width + u] === 1 ? FIXED : BESIDE;
      }
    }
    return out;
  };
}

function boxOfChanging(mask: Uint8Array, width: number): Rect {
  const [first, last] = [mask.indexOf(CHANGING), mask.lastIndexOf(CHANGING)].map((i) => Math.floor(i / width));
  if (first < 0) return { x: 0, y: 0, width: 0, height: 0 };
  let [left, right] = [width, 0];
  for (let y = first; y <= last; y++) {
    const row = mask.subarray(y * width, (y + 1) * width);
    if (!row.includes(CHANGING)) continue;
    left = Math.min(left, row.indexOf(CHANGING));
    right = Math.max(right, row.lastIndexOf(CHANGING));
  }
  return { x: left, y: first, width: right - left + 1, height: last - first + 1 };
}
