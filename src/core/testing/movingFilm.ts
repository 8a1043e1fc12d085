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
  const held = new Map<number, Uint8Array>();
  const frame = (t: number): Uint8Array => {
    const out = new Uint8Array(W * H);
    for (let i = 0; i < out.length; i++) out[i] = noise((i % W) + pan * t, Math.floor(i / W), 0);
    // The first hides those after it.
    places.toReversed().forEach((place, k) => {
      const { x: left, y: top } = place(t);
      for (let v = 0; v < 30 && top + v < H; v++) {
        for (let u = Math.max(0, -left); u < 20 && left + u < W; u++)
          out[(top + v) * W + left + u] = 120 + noise(u, v, 31 * (places.length - k));
      }
    });
    return out;
  };
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
