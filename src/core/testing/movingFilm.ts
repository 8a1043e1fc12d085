import { identity3, type Matrix3, type Point } from '../geometry/homography.ts';
import type { FrameFormat, FrameReader } from '../image/format.ts';
import { centreOf, type MaskPatch } from '../movers/maskPatch.ts';
import type { Mover } from '../movers/movers.ts';

const [W, H, FRAMES] = [160, 80, 40];
const plane = { width: W, height: H, stepX: 1, stepY: 1 };
const FORMAT: FrameFormat = { width: W, height: H, depth: 8, colourPlanes: 1, planes: [plane] };
/** The motion of a camera that rests. */
export const still = (): Matrix3 => identity3();
/** A full mask. */
export const box = (x: number, y: number, width: number, height: number): MaskPatch => ({
  x,
  y,
  width,
  height,
  data: new Uint8Array(width * height).fill(1),
});
const noise = (x: number, y: number, seed: number): number =>
  (Math.imul(x * 7919 + y * 104729 + seed, 2654435761) >>> 24) / 2;

/** A grey film of things of 20 x 30 px with a texture of their own, before a textured wall that the camera may pan over. */
export function film(places: readonly ((t: number) => Point)[], pan = 0): FrameReader {
  const level = (x: number, y: number, t: number): number => {
    for (const [k, place] of places.entries()) {
      const { x: left, y: top } = place(t);
      if (x >= left && x < left + 20 && y >= top && y < top + 30) return 120 + noise(x - left, y - top, 31 * (k + 1));
    }
    return noise(x + pan * t, y, 0);
  };
  const held = new Map<number, Uint8Array>();
  const frame = (t: number): Uint8Array =>
    Uint8Array.from({ length: W * H }, (_, i) => level(i % W, Math.floor(i / W), t));
  return {
    format: FORMAT,
    count: FRAMES,
    readRows(t, _plane, y, rows, into) {
      if (!held.has(t)) held.set(t, frame(t));
      into.set(held.get(t)!.subarray(y * W, (y + rows) * W));
    },
  };
}

/** What was found of something in frames first..last. */
export function found(first: number, last: number, mask: (t: number) => MaskPatch): Mover {
  const masks = Array.from({ length: last - first + 1 }, (_, k) => mask(first + k));
  return { first, last, masks, path: masks.map(centreOf), best: first };
}
