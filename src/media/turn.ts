import type { Point } from '../core/geometry/homography.ts';
import type { Rect } from '../core/image/format.ts';

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

/** An offset in px as stored, on the picture as shown. */
export function offsetToShown({ x, y }: Point, rotation: number): Point {
  const [a, b] = [toShown({ x: 0, y: 0 }, rotation, 0, 0), toShown({ x, y }, rotation, 0, 0)];
  return { x: b.x - a.x, y: b.y - a.y };
}

/** The way back of {@link toShown}. */
export function toStored({ x, y }: Point, rotation: number, width: number, height: number): Point {
  if (rotation === 90) return { x: y, y: height - 1 - x };
  if (rotation === 180) return { x: width - 1 - x, y: height - 1 - y };
  if (rotation === 270) return { x: width - 1 - y, y: x };
  return { x, y };
}

/** Part of a picture, plane by plane: that of a matte. */
interface Part {
  rect: Rect;
  values: Uint8Array;
  held?: Uint8Array;
}

/**
 * A part of the picture as shown, in the orientation of the frames as stored (width x height). With a turn of 360 - rotation, and
 * the size of the picture as shown, it is the way from stored to shown.
 */
export function turnBack(part: Part, rotation: number, width: number, height: number): Part {
  if (rotation % 360 === 0) return part;
  const { rect, values, held } = part;
  const turned = turnedRect(rect, rotation, width, height);
  const turn = (plane: Uint8Array): Uint8Array => {
    const out = new Uint8Array(plane.length);
    for (let y = 0; y < turned.height; y++) {
      for (let x = 0; x < turned.width; x++) {
        const { x: u, y: v } = toShown({ x: turned.x + x, y: turned.y + y }, rotation, width, height);
        out[y * turned.width + x] = plane[(v - rect.y) * rect.width + u - rect.x];
      }
    }
    return out;
  };
  return { rect: turned, values: turn(values), held: held && turn(held) };
}

function turnedRect(r: Rect, rotation: number, width: number, height: number): Rect {
  if (rotation === 90) return { x: r.y, y: height - r.x - r.width, width: r.height, height: r.width };
  if (rotation === 180) {
    return { x: width - r.x - r.width, y: height - r.y - r.height, width: r.width, height: r.height };
  }
  return { x: width - r.y - r.height, y: r.x, width: r.height, height: r.width };
}
