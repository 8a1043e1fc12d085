import { boundsOf, invert3, project, type Matrix3, type Point } from '../geometry/homography.ts';
import type { Rect } from '../image/format.ts';
import { at, grown, type MaskPatch } from './maskPatch.ts';

/** What moves hides the background this far beyond its mask, px. */
const BESIDE_PX = 2;

/**
 * Places of a frame at which another frame shows something that moves, and not the background.
 *
 * @param masks - What moves in the other frame.
 * @param map - From px of the frame to px of the other.
 * @returns Indices y·w + x of the frame, which is w by h px.
 */
export function hiddenPlaces(masks: readonly MaskPatch[], map: Matrix3, w: number, h: number): number[] {
  const back = invert3(map);
  return masks.flatMap((mask) => {
    const wide = grown(mask, BESIDE_PX);
    const [x0, y0, x1, y1] = boundsOf(cornersOf(wide).map(({ x, y }) => project(back, x, y)));
    const out: number[] = [];
    for (let y = Math.max(0, Math.floor(y0)); y < Math.min(h, y1 + 1); y++) {
      for (let x = Math.max(0, Math.floor(x0)); x < Math.min(w, x1 + 1); x++) {
        const there = project(map, x, y);
        if (at(wide, Math.round(there.x), Math.round(there.y))) out.push(y * w + x);
      }
    }
    return out;
  });
}

const cornersOf = ({ x, y, width, height }: Rect): Point[] => [
  { x, y },
  { x: x + width, y },
  { x: x + width, y: y + height },
  { x, y: y + height },
];
