import type { Point } from '../geometry/homography.ts';
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

/** Weights of four samples around a place between the second and the third (cubic convolution, Keys 1981, a = -1/2). */
export function cubicWeights(f: number): [number, number, number, number] {
  const [f2, f3] = [f * f, f * f * f];
  return [-0.5 * f3 + f2 - 0.5 * f, 1.5 * f3 - 2.5 * f2 + 1, -1.5 * f3 + 2 * f2 + 0.5 * f, 0.5 * f3 - 0.5 * f2];
}

/** A value between the samples of a plane that is so wide: x, y is the second of the four each way. */
export function cubicAt(
  values: Float32Array,
  width: number,
  x: number,
  y: number,
  wx: readonly number[],
  wy: readonly number[],
): number {
  let sum = 0;
  for (let v = 0; v < 4; v++) {
    const i = (y + v - 1) * width + x - 1;
    sum += wy[v] * (wx[0] * values[i] + wx[1] * values[i + 1] + wx[2] * values[i + 2] + wx[3] * values[i + 3]);
  }
  return sum;
}
