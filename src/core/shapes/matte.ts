import { intersect, type Rect } from '../image/format.ts';
import { signedDistance } from './distance.ts';
import { pathAt } from './interpolate.ts';
import { coverPolygon, flatten } from './rasterise.ts';
import type { Removal, Shape } from './shape.ts';

/** The part of a frame in which a removal's matte is above 0, and its values there. */
export interface Matte {
  rect: Rect;
  /** rect.width·rect.height, 0 = keep, 255 = remove; nothing of what is held out. */
  values: Uint8Array;
  /** The same for what is held out, 255 = stays; absent where nothing is. */
  held?: Uint8Array;
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
  const going = drawn.filter(({ shape }) => shape.operation !== 'hold');
  const holding = drawn.filter(({ shape }) => shape.operation === 'hold');
  const soft = { grow: 0, featherIn: removal.holdFeather, featherOut: removal.holdFeather };
  const rect = extent(
    [
      [going, removal],
      [holding, soft],
    ],
    width,
    height,
  );
  const values = new Uint8Array(rect.width * rect.height);
  if (rect.width === 0 || rect.height === 0) return { rect, values };
  const alpha = alphaOf(going, rect, removal);
  if (holding.length === 0) {
    for (let i = 0; i < values.length; i++) values[i] = Math.round(255 * alpha[i]);
    return { rect, values };
  }
  const kept = alphaOf(holding, rect, soft);
  for (let i = 0; i < values.length; i++) values[i] = Math.round(255 * alpha[i] * (1 - kept[i]));
  return { rect, values, held: Uint8Array.from(kept, (v) => Math.round(255 * v)) };
}

type Edge = Pick<Removal, 'grow' | 'featherIn' | 'featherOut'>;

const alphaOf = (drawn: Drawn[], rect: Rect, edge: Edge): Float32Array =>
  isPlain(edge) ? combineCover(drawn, rect) : softened(combineDistance(drawn, rect, edge), edge);

interface Drawn {
  shape: Shape;
  polygon: Float64Array;
}

const isPlain = ({ grow, featherIn, featherOut }: Edge): boolean => grow === 0 && featherIn === 0 && featherOut === 0;

/** Smallest rectangle of the frame that shapes can touch, with the edges that they get; what is cut out adds nothing. */
function extent(groups: [Drawn[], Edge][], width: number, height: number): Rect {
  let [x0, y0, x1, y1] = [Infinity, Infinity, -Infinity, -Infinity];
  for (const [drawn, { grow, featherOut }] of groups) {
    const margin = Math.max(0, grow + featherOut) + 1;
    for (const { shape, polygon } of drawn) {
      if (shape.operation === 'subtract') continue;
      for (let i = 0; i < polygon.length; i += 2) {
        x0 = Math.min(x0, polygon[i] - margin);
        x1 = Math.max(x1, polygon[i] + margin);
        y0 = Math.min(y0, polygon[i + 1] - margin);
        y1 = Math.max(y1, polygon[i + 1] + margin);
      }
    }
  }
  if (x0 > x1) return { x: 0, y: 0, width: 0, height: 0 };
  const [left, top] = [Math.floor(x0), Math.floor(y0)];
  const box = { x: left, y: top, width: Math.ceil(x1) - left + 1, height: Math.ceil(y1) - top + 1 };
  return intersect(box, { x: 0, y: 0, width, height });
}

function combineCover(drawn: Drawn[], rect: Rect): Float32Array {
  const alpha = new Float32Array(rect.width * rect.height);
  const cover = new Float32Array(alpha.length);
  for (const { shape, polygon } of drawn) {
    coverPolygon(cover, rect, polygon);
    for (let i = 0; i < alpha.length; i++) {
      alpha[i] = shape.operation === 'subtract' ? Math.min(alpha[i], 1 - cover[i]) : Math.max(alpha[i], cover[i]);
    }
  }
  return alpha;
}

/** Signed distance of the combined shapes: the nearer of added ones, the farther from subtracted ones. */
function combineDistance(drawn: Drawn[], rect: Rect, edge: Edge): Float32Array {
  const reach = Math.abs(edge.grow) + Math.max(edge.featherIn, edge.featherOut) + 2;
  const distance = new Float32Array(rect.width * rect.height).fill(reach);
  const cover = new Float32Array(distance.length);
  for (const { shape, polygon } of drawn) {
    coverPolygon(cover, rect, polygon);
    const own = signedDistance(cover, rect, polygon, reach);
    for (let i = 0; i < distance.length; i++) {
      distance[i] = shape.operation === 'subtract' ? Math.max(distance[i], -own[i]) : Math.min(distance[i], own[i]);
    }
  }
  return distance;
}

function softened(distance: Float32Array, { grow, featherIn, featherOut }: Edge): Float32Array {
  // Half a px on both sides stands for the area of a pixel that the edge cuts.
  const inner = -Math.max(featherIn, 0.5);
  const outer = Math.max(featherOut, 0.5);
  const sharp = featherIn === 0 && featherOut === 0;
  return distance.map((d) => {
    const t = Math.min(1, Math.max(0, (outer - (d - grow)) / (outer - inner)));
    return sharp ? t : t * t * (3 - 2 * t);
  });
}
