import type { Rect } from '../image/format.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';

/** The tiles of a frame on which a fill works. */
export interface TiledRegion {
  frame: number;
  rect: Rect;
  cols: number;
  rows: number;
  active: Uint8Array;
}

/** The tiles of all regions, as one of their frames sees them: the hole of any, with one tile of rim. */
export function unitedRegion(regions: readonly TiledRegion[], frame: number, camera: CameraMotion): TiledRegion {
  if (regions.length === 1) return regions[0];
  const side = regions[0].rect.width / regions[0].cols;
  const boxes = regions.flatMap((region) => holeBoxes(region, side, frame, camera));
  const [x0, y0] = [0, 1].map((k) => Math.floor(Math.min(...boxes.map((b) => b[k])) / side) - 1);
  const [x1, y1] = [2, 3].map((k) => Math.ceil(Math.max(...boxes.map((b) => b[k])) / side) + 1);
  const [cols, rows] = [x1 - x0, y1 - y0];
  const active = new Uint8Array(cols * rows);
  for (const [left, top, right, bottom] of boxes) {
    const [c0, r0] = [Math.floor(left / side) - x0, Math.floor(top / side) - y0];
    const [c1, r1] = [Math.ceil(right / side) - x0, Math.ceil(bottom / side) - y0];
    for (let r = r0 - 1; r <= r1; r++) {
      for (let c = c0 - 1; c <= c1; c++) {
        const inside = r >= r0 && r < r1 && c >= c0 && c < c1;
        active[r * cols + c] = Math.max(active[r * cols + c], inside ? 2 : 1);
      }
    }
  }
  return { frame, rect: { x: x0 * side, y: y0 * side, width: cols * side, height: rows * side }, cols, rows, active };
}

/** Left, top, right and bottom of a region's hole tiles in another frame. */
function holeBoxes(
  { frame: from, rect, cols, active }: TiledRegion,
  side: number,
  to: number,
  camera: CameraMotion,
): number[][] {
  const holes = [...active.keys()].filter((i) => active[i] === 2);
  const corners = Float64Array.from(
    holes.flatMap((i) => {
      const [x, y] = [rect.x + (i % cols) * side, rect.y + Math.floor(i / cols) * side];
      return [x, y, x + side, y, x, y + side, x + side, y + side];
    }),
  );
  camera.map(from, to, corners);
  return holes.map((_, k) => {
    const xs = [0, 2, 4, 6].map((j) => corners[8 * k + j]);
    const ys = [1, 3, 5, 7].map((j) => corners[8 * k + j]);
    return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
  });
}
