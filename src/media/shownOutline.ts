import type { Point } from '../core/geometry/homography.ts';
import type { MaskPatch } from '../core/movers/maskPatch.ts';
import { outlineOf, outlinesOf } from './outline.ts';
import { toShown } from './turn.ts';

/** How far an outline may leave the edge of what was found at a small size, and at full size, px of the clip. */
const ROUGH_PX = 3;
const FINE_PX = 1.5;

interface Turned {
  rotation: number;
  width: number;
  height: number;
}

export const tenth = (v: number): number => Math.round(v * 10) / 10;
export const flat = (points: Point[]): number[] => points.flatMap(({ x, y }) => [tenth(x), tenth(y)]);

/** The outline of a mask of small frames: x0 y0 …, px of the picture as shown, to a tenth. @param factor - Px of the clip per px. */
export const roughOutline = (mask: MaskPatch, factor: number, clip: Turned): number[] =>
  shown(outlineOf(mask, factor, ROUGH_PX), clip);

/** The same for each of its parts. */
export const roughOutlines = (mask: MaskPatch, factor: number, clip: Turned): number[][] =>
  outlinesOf(mask, factor, ROUGH_PX).map((points) => shown(points, clip));

/** The outline of a mask at full size. */
export const fineOutline = (mask: MaskPatch, clip: Turned): number[] => shown(outlineOf(mask, 1, FINE_PX), clip);

const shown = (points: Point[], { rotation, width, height }: Turned): number[] =>
  flat(points.map((p) => toShown(p, rotation, width, height)));
