import type { Point } from '../core/geometry/homography.ts';

/** Where a pixel as stored is on the picture as shown, for a clip of width x height as stored. */
export function toShown({ x, y }: Point, rotation: number, width: number, height: number): Point {
  if (rotation === 90) return { x: height - 1 - y, y: x };
  if (rotation === 180) return { x: width - 1 - x, y: height - 1 - y };
  if (rotation === 270) return { x: y, y: width - 1 - x };
  return { x, y };
}

/** An offset on the picture as shown, in px as stored. */
export function offsetToStored({ x, y }: Point, rotation: number): Point {
  const [a, b] = [toStored({ x: 0, y: 0 }, rotation, 0, 0), toStored({ x, y }, rotation, 0, 0)];
  return { x: b.x - a.x, y: b.y - a.y };
}

/** The way back of {@link toShown}. */
export function toStored({ x, y }: Point, rotation: number, width: number, height: number): Point {
  if (rotation === 90) return { x: y, y: height - 1 - x };
  if (rotation === 180) return { x: width - 1 - x, y: height - 1 - y };
  if (rotation === 270) return { x: width - 1 - y, y: x };
  return { x, y };
}
