import { middleOf } from '../geometry/homography.ts';
import type { Kernels } from '../../kernels/index.ts';
import { inside, type Quad } from './regionModel.ts';
import type { RegionPicture } from './regionPicture.ts';

/** Sides of a picture patch that is searched for, px of its level. */
const LARGEST_SIDE = 28;
const SMALLEST_SIDE = 9;
/** How much worse a place at the rim of the search may be than one at its middle and still lose: repeated patterns. */
const FAR_PENALTY = 0.12;
/** Correlation below which a place is none. */
const LEAST_WORTH = 0.3;
/** Places within this of the best one belong to it, px of the level. */
const APART = 3;

/** A small picture of a region as it looked when it was last seen well. */
export interface Patch {
  level: number;
  /** Whole samples; the width is a multiple of 4. */
  width: number;
  height: number;
  /** Weighted, centred samples, and the weights. */
  samples: Float32Array;
  mask: Float32Array;
  energy: number;
  area: number;
  /** Where its middle lies from the region's, px of the frame: beside it where the region sticks out of the picture. */
  dx: number;
  dy: number;
  /** All of the region is in it. */
  whole: boolean;
}

/** Where a patch was found. */
export interface Found {
  /** The most likely middle of its region, px of the frame, and how like it is there. */
  x: number;
  y: number;
  likeness: number;
  /** How like the best place is a few px beside it: nearly as good along an edge, which could be anywhere on it. */
  beside: number;
}

/** Level on which a region of this size is searched for. */
export function searchLevel(side: number, levels: number): number {
  let level = 0;
  while (level < levels - 1 && side / 2 ** level > LARGEST_SIDE && side / 2 ** (level + 1) > SMALLEST_SIDE) level++;
  return level;
}

/** Cuts a region out of a picture in which it is seen, or what is seen of it. Undefined if that has no texture, or is nothing. */
export function cutPatch(kernels: Kernels, picture: RegionPicture, quad: Quad, level: number): Patch | undefined {
  const { at, width: w, height: h } = picture.levels[level];
  const step = 2 ** level;
  const local = quad.map((p) => ({ x: (p.x - picture.x) / step, y: (p.y - picture.y) / step }));
  const xs = windowOf(
    local.map((p) => p.x),
    middleOf(local).x,
    w,
  );
  const ys = windowOf(
    local.map((p) => p.y),
    middleOf(local).y,
    h,
  );
  if (!xs || !ys) return undefined;
  const [x0, y0, width, height] = [xs.from, ys.from, xs.size, ys.size];
  const image = kernels.u16(at, w * h);
  const samples = new Float32Array(width * height);
  const mask = new Float32Array(width * height);
  let [area, sum] = [0, 0];
  for (let i = 0; i < samples.length; i++) {
    const [x, y] = [x0 + (i % width), y0 + Math.floor(i / width)];
    samples[i] = image[y * w + x];
    mask[i] = inside(local, x, y) ? 1 : 0;
    area += mask[i];
    sum += mask[i] * samples[i];
  }
  let energy = 0;
  for (let i = 0; i < samples.length; i++) {
    samples[i] = mask[i] * (samples[i] - sum / area);
    energy += samples[i] ** 2;
  }
  // Where a patch begins is rounded; what is found is a whole px of the level, to be refined by alignment.
  if (area < 16 || energy <= area) return undefined;
  const whole = xs.whole && ys.whole;
  return { level, width, height, samples, mask, energy, area, dx: xs.beside * step, dy: ys.beside * step, whole };
}

/** Where along one axis a patch lies in a picture of so many samples, and how far its middle is beside the region's. */
function windowOf(
  corners: readonly number[],
  middle: number,
  length: number,
): { from: number; size: number; beside: number; whole: boolean } | undefined {
  const [first, last] = [Math.min(...corners), Math.max(...corners)];
  const [from, to] = [Math.max(0, first), Math.min(length, last)];
  const whole = from === first && to === last;
  const seen = whole ? middle : (from + to) / 2;
  const size = Math.min(48, Math.max(8, Math.ceil((to - from) / 4) * 4), Math.floor(length / 4) * 4);
  if (size < 8 || to <= from) return undefined;
  const wanted = Math.round(seen) - size / 2;
  const there = Math.min(length - size, Math.max(0, wanted));
  return { from: there, size, beside: seen - middle + there - wanted, whole };
}

/**
 * Looks for a patch around an expected place by normalised correlation (Lewis 1995).
 *
 * @param x, y - Where the middle of the region is expected, px of the frame.
 * @param radius - How far it may be, px of the frame.
 * @param peaks - How many places to name at most.
 * @returns The likeliest places, the best first; none if there is no room to look.
 */
export function searchPatch(
  kernels: Kernels,
  picture: RegionPicture,
  patch: Patch,
  x: number,
  y: number,
  radius: number,
  peaks: number,
): Found[] {
  const step = 2 ** patch.level;
  const level = picture.levels[patch.level];
  const cx = Math.round((x + patch.dx - picture.x) / step) - patch.width / 2;
  const cy = Math.round((y + patch.dy - picture.y) / step) - patch.height / 2;
  const r = Math.ceil(radius / step);
  const x0 = Math.max(0, cx - r);
  const y0 = Math.max(0, cy - r);
  const w = Math.min(level.width, cx + r + patch.width) - x0;
  const h = Math.min(level.height, cy + r + patch.height) - y0;
  if (w < patch.width || h < patch.height) return [];
  return kernels.scoped(() => {
    const part = kernels.alloc(w * h * 2);
    const image = kernels.u16(level.at, level.width * level.height);
    const into = kernels.u16(part, w * h);
    for (let j = 0; j < h; j++)
      into.set(image.subarray((y0 + j) * level.width + x0, (y0 + j) * level.width + x0 + w), j * w);
    const [ow, oh] = [w - patch.width + 1, h - patch.height + 1];
    const out = kernels.alloc(ow * oh * 4);
    const [tpl, mask] = [kernels.put(patch.samples), kernels.put(patch.mask)];
    const { width, height, energy, area } = patch;
    kernels.run.correlateRegion(part, w, h, tpl, mask, width, height, energy, area, out);
    const scores = kernels.f32(out, ow * oh);
    const far = (i: number): number => ((x0 + (i % ow) - cx) ** 2 + (y0 + Math.floor(i / ow) - cy) ** 2) / (r * r + 1);
    const worth = scores.map((v, i) => v - FAR_PENALTY * Math.min(1, far(i)));
    const found: Found[] = [];
    while (found.length < peaks) {
      const best = worth.reduce((b, v, i) => (v > worth[b] ? i : b), 0);
      if (worth[best] < LEAST_WORTH) break;
      const [bx, by] = [best % ow, Math.floor(best / ow)];
      let beside = -1;
      for (let i = 0; i < scores.length; i++) {
        const d = Math.max(Math.abs((i % ow) - bx), Math.abs(Math.floor(i / ow) - by));
        if (d > 1 && d <= 2 * APART && scores[i] > beside) beside = scores[i];
        if (d <= APART) worth[i] = -1;
      }
      found.push({
        x: picture.x + (x0 + bx + patch.width / 2) * step - patch.dx,
        y: picture.y + (y0 + by + patch.height / 2) * step - patch.dy,
        likeness: scores[best],
        beside,
      });
    }
    return found;
  });
}
