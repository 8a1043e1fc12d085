import { evenly } from '../evenly.ts';
import { project, type Point } from '../geometry/homography.ts';
import { grow, type FrameReader } from '../image/format.ts';
import { readCut, type PictureCut } from '../outline/pictureCut.ts';
import type { Step } from './linkRegions.ts';
import { centreOf, type MaskPatch } from './maskPatch.ts';

/** Farthest that something is looked for from where the camera alone would have it, px on each side. */
const FARTHEST = 20;
/** Px of a mask that are compared, about; and the share of them that must lie in both pictures. */
const COMPARED = 300;
const LEAST_SHARE = 0.5;
/** Where it is expected, it is looked for this far around at first, px. */
const CLOSE = 4;
/** What is found elsewhere fits this much better than what lies where the camera alone would have it. */
const BETTER = 0.8;

/** How what lies under a mask moves from one frame to another, whole px of the small frames. */
export interface Way {
  /** By the camera. */
  camera: Point;
  /** By itself; undefined if it is not found again, or rests. */
  own: Point | undefined;
}

/**
 * How what lies under a mask moves from one frame to another: where its colours are found again (block matching by the sum of
 * absolute differences). Unlike the middles of masks it does not depend on how much of a thing was found.
 * @param guess - Its own way, as it is expected.
 */
export function wayOf(mask: MaskPatch, from: number, to: number, frames: FrameReader, step: Step, guess?: Point): Way {
  const centre = centreOf(mask);
  const carried = project(step(from, to), centre.x, centre.y);
  const x = mask.x + Math.round(carried.x - centre.x);
  const y = mask.y + Math.round(carried.y - centre.y);
  const here = readCut(frames, from, mask, 1);
  const there = readCut(frames, to, grow({ ...mask, x, y }, FARTHEST), 1);
  const camera = { x: x - mask.x, y: y - mask.y };
  const px = sampled(mask, here);
  const unlike = (dx: number, dy: number, most: number): number =>
    difference(px, there, camera.x + dx, camera.y + dy, most);
  const least = BETTER * unlike(0, 0, Infinity);
  const close = guess && search(unlike, guess, CLOSE, least);
  return { camera, own: close ?? search(unlike, { x: 0, y: 0 }, FARTHEST, least) };
}

/** The shift that fits best, of those up to `reach` px around one; undefined if none is better than `least`, or only one at the border. */
function search(
  unlike: (dx: number, dy: number, most: number) => number,
  middle: Point,
  reach: number,
  least: number,
): Point | undefined {
  let best: Point | undefined;
  for (let y = Math.max(-FARTHEST, middle.y - reach); y <= Math.min(FARTHEST, middle.y + reach); y++) {
    for (let x = Math.max(-FARTHEST, middle.x - reach); x <= Math.min(FARTHEST, middle.x + reach); x++) {
      const d = unlike(x, y, least);
      if (d < least) [best, least] = [{ x, y }, d];
    }
  }
  const isAtBorder = best && Math.max(Math.abs(best.x - middle.x), Math.abs(best.y - middle.y)) === reach;
  return isAtBorder && reach < FARTHEST ? undefined : best;
}

/** Px of a frame: their places and colours. */
interface Samples {
  x: Int32Array;
  y: Int32Array;
  /** Three values per px. */
  colours: Float32Array;
}

/** Some px of a mask that lie in the picture, evenly. */
function sampled(mask: MaskPatch, { x, y, width, height, colours }: PictureCut): Samples {
  const all: number[] = [];
  for (let i = 0; i < width * height; i++) {
    const [u, v] = [x - mask.x + (i % width), y - mask.y + Math.floor(i / width)];
    if (mask.data[v * mask.width + u]) all.push(i);
  }
  const some = evenly(all, COMPARED);
  return {
    x: Int32Array.from(some, (i) => x + (i % width)),
    y: Int32Array.from(some, (i) => y + Math.floor(i / width)),
    colours: Float32Array.from({ length: 3 * some.length }, (_, i) => colours[some[Math.floor(i / 3)] * 3 + (i % 3)]),
  };
}

/**
 * Mean difference of px to those that lie (dx, dy) on in a cut; what leaves it does not count, if not too much does.
 * @param most - Beyond it, it need not be known.
 */
function difference({ x, y, colours: a }: Samples, cut: PictureCut, dx: number, dy: number, most: number): number {
  const { width, height, colours: b } = cut;
  const { abs } = Math;
  const count = x.length;
  const [left, top] = [dx - cut.x, dy - cut.y];
  let sum = 0;
  let n = 0;
  for (let p = 0; p < count; p++) {
    const u = x[p] + left;
    const v = y[p] + top;
    if (u < 0 || v < 0 || u >= width || v >= height) continue;
    const k = (v * width + u) * 3;
    const i = p * 3;
    sum += abs(a[i] - b[k]) + abs(a[i + 1] - b[k + 1]) + abs(a[i + 2] - b[k + 2]);
    if (sum > most * count) return Infinity;
    n++;
  }
  return n > 0 && n >= LEAST_SHARE * count ? sum / n : Infinity;
}
