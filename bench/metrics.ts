import { planeViews, type FrameFormat } from '../src/core/image/format.ts';
import { bilinear, blur1, dilateMask, laplacian, type Picture } from './picture.ts';

/** One evaluated frame of the footage, with what is true of it. */
export interface FrameTruth {
  frame: number;
  truth: Picture;
  /** The truth with grain through the camera's codec, this frame and the next. */
  limit: Picture;
  limitNext: Picture;
  /** 1 where the matte removes at least half. */
  hole: Uint8Array;
  /** 1 where the matte is above 0. */
  touched: Uint8Array;
  /** The same of the next frame. */
  touchedNext: Uint8Array;
  /** 1 where the hole's background is truly seen in another frame in reach. */
  seen: Uint8Array;
  /** Place in the next frame of every 8th pixel across and down, NaN = out of view; interleaved x, y. */
  next: Float32Array;
  nextCols: number;
}

export interface FrameScore {
  frame: number;
  psnrSeen: number;
  psnrUnseen: number;
  ssimSeen: number;
  /** Ratios to what the limit footage shows on the same pixels, each against its ring: 1 is natural. */
  flicker: number;
  sharpness: number;
  seam: number;
  seenPx: number;
}

const RING_FROM = 4;
const RING_TO = 28;

/** Rings and masks that all methods share. */
export class FrameJudge {
  private readonly ring: Uint8Array;
  private readonly truthBlurred: Picture;

  constructor(readonly t: FrameTruth) {
    const { width: w, height: h } = t.truth;
    const far = dilateMask(t.touched, w, h, RING_TO);
    const near = dilateMask(t.touched, w, h, RING_FROM);
    this.ring = far.map((v, i) => (v && !near[i] ? 1 : 0));
    this.truthBlurred = blur1(t.truth);
  }

  /** @param clip - The footage as filmed; its ring is what the fill is compared with. */
  score(result: Picture, resultNext: Picture): FrameScore {
    const { t } = this;
    const unseen = t.hole.map((v, i) => v & (1 - t.seen[i]));
    const seen = t.hole.map((v, i) => v & t.seen[i]);
    const blurred = blur1(result);
    return {
      frame: t.frame,
      psnrSeen: this.psnr(blurred, seen),
      psnrUnseen: this.psnr(blurred, unseen),
      ssimSeen: this.ssim(blurred, seen),
      flicker:
        this.relative(
          flickerEnergy(result, resultNext, seen, 1, t),
          flickerEnergy(t.limit, t.limitNext, seen, 1, t),
          flickerEnergy(result, resultNext, this.ring, 0, t),
          flickerEnergy(t.limit, t.limitNext, this.ring, 0, t),
        ) ** 0.5,
      sharpness: this.relative(
        laplacianEnergy(result, seen),
        laplacianEnergy(t.limit, seen),
        laplacianEnergy(result, this.ring),
        laplacianEnergy(t.limit, this.ring),
      ),
      seam: seamStep(result, t.touched) / seamStep(t.limit, t.touched),
      seenPx: seen.reduce((a, b) => a + b, 0),
    };
  }

  /** (result in the hole / result on the ring) over the same of the limit. */
  private relative(resultHole: number, limitHole: number, resultRing: number, limitRing: number): number {
    return resultHole / limitHole / (resultRing / limitRing);
  }

  private psnr(blurred: Picture, mask: Uint8Array): number {
    let [sum, n] = [0, 0];
    for (let i = 0; i < mask.length; i++) {
      if (!mask[i]) continue;
      sum += (blurred.values[i] - this.truthBlurred.values[i]) ** 2;
      n++;
    }
    return n < 50 ? NaN : 10 * Math.log10(255 ** 2 / Math.max(sum / n, 1e-6));
  }

  /** Mean SSIM (Wang et al. 2004) over 8x8 windows that lie in the mask. */
  private ssim(blurred: Picture, mask: Uint8Array): number {
    const { width: w, height: h } = blurred;
    let [sum, n] = [0, 0];
    for (let y = 0; y + 8 <= h; y += 4) {
      for (let x = 0; x + 8 <= w; x += 4) {
        if (!mask[y * w + x] || !mask[(y + 7) * w + x + 7] || !mask[(y + 7) * w + x] || !mask[y * w + x + 7]) continue;
        sum += windowSsim(blurred, this.truthBlurred, y * w + x);
        n++;
      }
    }
    return n === 0 ? NaN : sum / n;
  }
}

function windowSsim(a: Picture, b: Picture, at: number): number {
  let [sa, sb, aa, bb, ab] = [0, 0, 0, 0, 0];
  for (let y = 0; y < 8; y++) {
    for (let x = 0; x < 8; x++) {
      const p = a.values[at + y * a.width + x];
      const q = b.values[at + y * a.width + x];
      sa += p;
      sb += q;
      aa += p * p;
      bb += q * q;
      ab += p * q;
    }
  }
  const [ma, mb] = [sa / 64, sb / 64];
  const [va, vb, cov] = [aa / 64 - ma * ma, bb / 64 - mb * mb, ab / 64 - ma * mb];
  const [c1, c2] = [(0.01 * 255) ** 2, (0.03 * 255) ** 2];
  return ((2 * ma * mb + c1) * (2 * cov + c2)) / ((ma * ma + mb * mb + c1) * (va + vb + c2));
}

/**
 * Mean squared difference to the next frame along the true motion, of fill to fill or of footage to footage: where the hole
 * moves on, the codec has just coded what was hidden, and its grain is new.
 * @param touched - Whether the hole is there in the next frame.
 */
function flickerEnergy(a: Picture, b: Picture, mask: Uint8Array, touched: number, t: FrameTruth): number {
  let [sum, n] = [0, 0];
  const { width: w, height: h } = a;
  for (let r = 0; 8 * r < h; r++) {
    for (let c = 0; 8 * c < w; c++) {
      const k = 2 * (r * t.nextCols + c);
      const i = 8 * r * w + 8 * c;
      if (!mask[i] || Number.isNaN(t.next[k])) continue;
      // The motion is locally a shift: all px around a place are compared at once.
      const [dx, dy] = [t.next[k] - 8 * c, t.next[k + 1] - 8 * r];
      for (let y = 8 * r - 4; y < 8 * r + 4; y++) {
        for (let x = 8 * c - 4; x < 8 * c + 4; x++) {
          if (x < 2 || y < 2 || x + dx < 2 || y + dy < 2 || x + dx > w - 3 || y + dy > h - 3 || y > h - 3 || x > w - 3)
            continue;
          if (!mask[y * w + x] || t.touchedNext[Math.round(y + dy) * w + Math.round(x + dx)] !== touched) continue;
          sum += (bilinear(b, x + dx, y + dy) - a.values[y * w + x]) ** 2;
          n++;
        }
      }
    }
  }
  return n === 0 ? NaN : sum / n;
}

function laplacianEnergy(p: Picture, mask: Uint8Array): number {
  let [sum, n] = [0, 0];
  for (let i = p.width + 1; i < mask.length - p.width - 1; i++) {
    if (!mask[i]) continue;
    sum += laplacian(p, i) ** 2;
    n++;
  }
  return n === 0 ? NaN : sum / n;
}

/** Root mean square step of the local mean (5x5) across the matte's edge, 4 px inside against 4 px outside. */
function seamStep(p: Picture, touched: Uint8Array): number {
  const { width: w, height: h } = p;
  const mean = (x: number, y: number): number => {
    let s = 0;
    for (let j = -2; j <= 2; j++) for (let i = -2; i <= 2; i++) s += p.values[(y + j) * w + x + i];
    return s / 25;
  };
  let [sum, n] = [0, 0];
  for (let y = 8; y < h - 8; y += 2) {
    for (let x = 8; x < w - 8; x += 2) {
      const i = y * w + x;
      for (const [dx, dy] of [
        [1, 0],
        [0, 1],
      ]) {
        if (touched[i] === touched[i + dx + dy * w]) continue;
        sum += (mean(x - 3 * dx, y - 3 * dy) - mean(x + 4 * dx, y + 4 * dy)) ** 2;
        n++;
      }
    }
  }
  return n === 0 ? NaN : Math.sqrt(sum / n);
}

/** Samples outside the matte that differ from the footage's, all planes. @param touched - 1 per luma px that the matte covers. */
export function changedOutside(clip: Uint8Array, result: Uint8Array, touched: Uint8Array, format: FrameFormat): number {
  const after = planeViews(result, format);
  return planeViews(clip, format)
    .map((samples, plane) => {
      const { width, stepX, stepY } = format.planes[plane];
      const outside = (i: number): boolean => {
        const at = Math.floor(i / width) * stepY * format.width + (i % width) * stepX;
        for (let b = 0; b < stepY; b++)
          for (let a = 0; a < stepX; a++) if (touched[at + b * format.width + a]) return false;
        return true;
      };
      let changed = 0;
      for (let i = 0; i < samples.length; i++) if (samples[i] !== after[plane][i] && outside(i)) changed++;
      return changed;
    })
    .reduce((a, b) => a + b, 0);
}
