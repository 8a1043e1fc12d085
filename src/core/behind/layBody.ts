import type { Point } from '../geometry/homography.ts';
import { cubicAt, cubicWeights } from '../image/cubic.ts';
import type { FrameFormat } from '../image/format.ts';
import type { Region } from '../fill/region.ts';
import type { BodyLayer } from './cutBody.ts';

/** By so much a body changes what lies under it, at least. */
const LEAST = 0.001;

/**
 * Lays a body over a region of another frame, in place.
 * @param way - From the body's frame to the region's, px of the frame.
 * @param layers - Samples per plane of the region.
 */
export function layBody(
  { rect, planes }: BodyLayer,
  way: Point,
  region: Region,
  format: FrameFormat,
  layers: readonly Float32Array[],
): void {
  planes.forEach(({ keep, add }, p) => {
    const { stepX, stepY } = format.planes[p];
    const [width, height] = [rect.width / stepX, rect.height / stepY];
    const across = region.rect.width / stepX;
    const down = region.rect.height / stepY;
    // Place of the region's first sample in the layer.
    const [dx, dy] = [(region.rect.x - way.x - rect.x) / stepX, (region.rect.y - way.y - rect.y) / stepY];
    const [left, top] = [Math.floor(dx), Math.floor(dy)];
    const [wx, wy] = [cubicWeights(dx - left), cubicWeights(dy - top)];
    const into = layers[p];
    for (let y = Math.max(0, 1 - top); y < Math.min(down, height - 2 - top); y++) {
      for (let x = Math.max(0, 1 - left); x < Math.min(across, width - 2 - left); x++) {
        const k = cubicAt(keep, width, x + left, y + top, wx, wy);
        if (Math.abs(1 - k) < LEAST) continue;
        const i = y * across + x;
        // Both overshoot alike beside an edge: neither is cut off alone.
        into[i] = into[i] * k + cubicAt(add, width, x + left, y + top, wx, wy);
      }
    }
  });
}
