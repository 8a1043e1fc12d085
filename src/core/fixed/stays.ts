import { withinBars, type Bars } from '../image/bars.ts';

/** What of a film stays as it is, and shows nothing of the background. */
export interface Stays {
  /** Black bars along its sides, px of the film. */
  bars?: Bars;
  fixed?: Fixed;
}

/**
 * Values of a mask: what stays; what is beside it, which shows it in part and is filled, but nothing is taken from there; and what does the one
 * or the other, frame by frame: digits that change.
 */
export const FIXED = 1;
export const BESIDE = 2;
export const CHANGING = 3;

/** What is fixed to the picture. */
export interface Fixed {
  width: number;
  height: number;
  /** Px of the film per px of the mask. */
  step: number;
  /** Per px {@link FIXED}, {@link BESIDE}, {@link CHANGING} or 0. */
  mask: Uint8Array;
  /** 1 for the luma, of 8 bits, that what is changing has where it stays. */
  paint: Uint8Array;
}

/** Share of the picture that is fixed to it. */
export const shareOf = ({ mask }: Fixed): number =>
  mask.filter((v) => v === FIXED || v === CHANGING).length / mask.length;

/** Per px of the film {@link FIXED}, {@link BESIDE}, {@link CHANGING} or 0. */
export function staysMask({ bars, fixed }: Stays, film: { width: number; height: number }): Uint8Array {
  const { width, height } = film;
  const out = new Uint8Array(width * height);
  if (fixed) {
    for (let y = 0, i = 0; y < height; y++) {
      const row = Math.floor(y / fixed.step) * fixed.width;
      for (let x = 0; x < width; x++, i++) out[i] = fixed.mask[row + Math.floor(x / fixed.step)];
    }
  }
  if (bars) {
    const picture = withinBars(bars, film);
    for (let y = 0; y < height; y++) {
      const row = out.subarray(y * width, (y + 1) * width);
      const isBar = y < picture.y || y >= picture.y + picture.height;
      row.fill(FIXED, 0, isBar ? width : picture.x);
      row.fill(FIXED, picture.x + picture.width);
    }
  }
  return out;
}

/** A mask of smaller frames: 1 for the px that the full mask touches at all, beside it, too. @param step - Full px per px. */
export function smallerMask(
  mask: Uint8Array,
  { width, height }: { width: number; height: number },
  step: number,
): Uint8Array {
  if (step === 1) return mask;
  const across = Math.ceil(width / step);
  const out = new Uint8Array(across * Math.ceil(height / step));
  mask.forEach((v, i) => {
    if (v > 0) out[Math.floor(Math.floor(i / width) / step) * across + Math.floor((i % width) / step)] = 1;
  });
  return out;
}
