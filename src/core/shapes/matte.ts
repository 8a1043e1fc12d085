import { intersect, type Rect } from '../image/format.ts';
import { signedDistance } from './distance.ts';
import { pathAt } from './interpolate.ts';
import { coverPolygon, flatten } from './rasterise.ts';
import type { Removal, Shape } from './shape.ts';

/** The part of a frame in which a removal's matte is above 0, and its values there. */
export interface Matte {
  rect: Rect;
  /** rect.width·rect.height, 0 = keep, 255 = remove. */
  values: Uint8Array;
}

/**
 * The matte of a removal on one frame: its shapes in order, added or subtracted, the edge moved by `grow` and faded by
 * the feathers. Anti-aliased, and the same numbers wherever it is computed.
 *
 * Without grow and feather a pixel's value is the exact share of its square inside the outline. With them it is a
 * function of the distance d from the moved outline: 1 from `featherIn` inside it, 0 from `featherOut` outside, a
 * smooth ramp between, never steeper than one px.
 *
 * @param width, height - Frame, px; nothing outside is drawn.
 */
export function drawMatte(removal: Removal, frame: number, width: number, height: number): Matte {
  const drawn = removal.shapes.flatMap((shape) => {
    const points = pathAt(shape, frame);
    return points && points.length > 1 ? [{ shape, polygon: flatten(points) }] : [];
  });
  const rect = extent(drawn, removal, width, height);
  const values = new Uint8Array(rect.width * rect.height);
  if (rect.width === 0 || rect.height === 0) return { rect, values };
  const alpha = isPlain(removal) ? combineCover(drawn, rect) : softened(combineDistance(drawn, rect, removal), removal);
  for (let i = 0; i < values.length; i++) values[i] = Math.round(255 * alpha[i]);
  return { rect, values };
}

interface Drawn {
  shape: Shape;
  polygon: Float64Array;
}

const isPlain = ({ grow, featherIn, featherOut }: Removal): boolean =>
  grow === 0 && featherIn === 0 && featherOut === 0;

/** Smallest rectangle of the frame that the added shapes can touch. */
function extent(drawn: Drawn[], removal: Removal, width: number, height: number): Rect {
  let [x0, y0, x1, y1] = [Infinity, Infinity, -Infinity, -Infinity];
  for (const { shape, polygon } of drawn) {
    if (shape.operation === 'subtract') continue;
    for (let i = 0; i < polygon.length; i += 2) {
      x0 = Math.min(x0, polygon[i]);
      x1 = Math.max(x1, polygon[i]);
      y0 = Math.min(y0, polygon[i + 1]);
      y1 = Math.max(y1, polygon[i + 1]);
    }
  }
  if (x0 > x1) return { x: 0, y: 0, width: 0, height: 0 };
  const margin = Math.max(0, removal.grow + removal.featherOut) + 1;
  const [left, top] = [Math.floor(x0 - margin), Math.floor(y0 - margin)];
  const box = { x: left, y: top, width: Math.ceil(x1 + margin) - left + 1, height: Math.ceil(y1 + margin) - top + 1 };
  return intersect(box, { x: 0, y: 0, width, height });
}

function combineCover(drawn: Drawn[], rect: Rect): Float32Array {
  const alpha = new Float32Array(rect.width * rect.height);
  const cover = new Float32Array(alpha.length);
  for (const { shape, polygon } of drawn) {
    coverPolygon(cover, rect, polygon);
    for (let i = 0; i < alpha.length; i++) {
      alpha[i] = shape.operation === 'add' ? Math.max(alpha[i], cover[i]) : Math.min(alpha[i], 1 - cover[i]);
    }
  }
  return alpha;
}

/** Signed distance of the combined shapes: the nearer of added ones, the farther from subtracted ones. */
function combineDistance(drawn: Drawn[], rect: Rect, removal: Removal): Float32Array {
  const reach = Math.abs(removal.grow) + Math.max(removal.featherIn, removal.featherOut) + 2;
  const distance = new Float32Array(rect.width * rect.height).fill(reach);
  const cover = new Float32Array(distance.length);
  for (const { shape, polygon } of drawn) {
    coverPolygon(cover, rect, polygon);
    const own = signedDistance(cover, rect, polygon, reach);
    for (let i = 0; i < distance.length; i++) {
      distance[i] = shape.operation === 'add' ? Math.min(distance[i], own[i]) : Math.max(distance[i], -own[i]);
    }
  }
  return distance;
}

function softened(distance: Float32Array, { grow, featherIn, featherOut }: Removal): Float32Array {
  // Half a px on both sides stands for the area of a pixel that the edge cuts.
  const inner = -Math.max(featherIn, 0.5);
  const outer = Math.max(featherOut, 0.5);
  const sharp = featherIn === 0 && featherOut === 0;
  return distance.map((d) => {
    const t = Math.min(1, Math.max(0, (outer - (d - grow)) / (outer - inner)));
    return sharp ? t : t * t * (3 - 2 * t);
  });
}
