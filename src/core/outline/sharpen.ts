import type { FrameReader, Rect } from '../image/format.ts';
import type { MaskPatch } from '../movers/maskPatch.ts';
import { OPEN, OTHER, THING, cutOut } from './cutOut.ts';
import { NO_HINTS, settleStrokes } from './hints.ts';
import { readCut } from './pictureCut.ts';
import { learn, leanOf } from './models.ts';

/** Px on both sides of a border that was found at half the size, in which it is looked for again. */
const BAND = 3;
const SMOOTH = 12;

/** Brings a mask to full size: at each doubling only a band along its border is cut again (Lombaert 2005). */
export function sharpen(
  frames: FrameReader,
  frame: number,
  mask: MaskPatch,
  step: number,
  hints = NO_HINTS,
): MaskPatch {
  if (step === 1) return mask;
  const fine = step / 2;
  const rect = { x: 2 * mask.x, y: 2 * mask.y, width: 2 * mask.width, height: 2 * mask.height };
  const cut = readCut(frames, frame, rect, fine);
  const { width: w, height: h } = cut;
  const doubled = doubledOver(mask, cut);
  const settled = bandOf(doubled, w, h);
  settleStrokes(settled, cut, fine, hints);
  const models = learn(cut, { mask: doubled });
  const data = cutOut(cut, leanOf(cut, models, settled), settled, SMOOTH);
  return sharpen(frames, frame, { x: cut.x, y: cut.y, width: w, height: h, data }, fine, hints);
}

/** A mask at twice its size, over a rectangle that lies within it. */
function doubledOver(mask: MaskPatch, { x, y, width, height }: Rect): Uint8Array {
  const out = new Uint8Array(width * height);
  for (let v = 0, i = 0; v < height; v++) {
    const row = (((y + v) >> 1) - mask.y) * mask.width - mask.x;
    for (let u = 0; u < width; u++, i++) out[i] = mask.data[row + ((x + u) >> 1)];
  }
  return out;
}

/** OPEN along the border of a mask, THING inside, OTHER outside. */
export function bandOf(mask: Uint8Array, w: number, h: number): Uint8Array {
  const out = new Uint8Array(mask.length);
  for (let i = 0; i < out.length; i++) out[i] = mask[i] ? THING : OTHER;
  for (let y = 0; y < h; y++) {
    for (let i = y * w; i < (y + 1) * w; i++) {
      const x = i - y * w;
      const beside = x + 1 < w && mask[i] !== mask[i + 1];
      if (!beside && !(y + 1 < h && mask[i] !== mask[i + w])) continue;
      const [left, right] = [Math.max(0, x - BAND + 1), Math.min(w, x + BAND + 1)];
      for (let v = Math.max(0, y - BAND + 1); v <= Math.min(h - 1, y + BAND); v++) {
        out.fill(OPEN, v * w + left, v * w + right);
      }
    }
  }
  return out;
}
