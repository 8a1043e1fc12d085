import { around, intersect, type Rect } from '../image/format.ts';
import { signedDistance } from './distance.ts';
import { isVisible, pathAt } from './interpolate.ts';
import { rasterAt, type RasterPatch } from './raster.ts';
import { rasterDistance } from './rasterDistance.ts';
import { coverPolygon, flatten } from './rasterise.ts';
import type { Removal, Shape } from './shape.ts';
import { bytesOf } from '../image/mapped.ts';

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
 * smooth ramp between, never steeper than one px. Of a matte that was made elsewhere d is the distance from where it passes a half.
 *
 * @param width, height - Frame, px; nothing outside is drawn.
 */
export function drawMatte(removal: Removal, frame: number, width: number, height: number): Matte {
  const drawn = removal.shapes.flatMap((shape) => drawnAt(shape, frame) ?? []);
  const going = drawn.filter(({ operation }) => operation !== 'hold');
  const holding = drawn.filter(({ operation }) => operation === 'hold');
  const soft = { grow: removal.holdGrow, featherIn: removal.holdFeather, featherOut: removal.holdFeather };
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
  return { rect, values, held: bytesOf(kept, (v) => Math.round(255 * v)) };
}

/** A matte with what others remove held out as well: no background where the hole is not. What is in the hole stays in it. */
export function besideOthers(matte: Matte, others: readonly Matte[]): Matte {
  const drawn = others.filter(({ rect }) => rect.width > 0 && rect.height > 0);
  if (drawn.length === 0) return matte;
  const rect = drawn.reduce((all: Rect, other) => around(all, other.rect), matte.rect);
  const values = new Uint8Array(rect.width * rect.height);
  const held = new Uint8Array(values.length);
  raise(values, rect, matte.values, matte.rect);
  if (matte.held) raise(held, rect, matte.held, matte.rect);
  for (const other of drawn) raise(held, rect, other.values, other.rect);
  return { rect, values, held };
}

/** Takes the larger of what a rectangle has and what a part of it has. */
function raise(into: Uint8Array, rect: Rect, values: Uint8Array, part: Rect): void {
  for (let y = 0, i = 0; y < part.height; y++) {
    const row = (part.y + y - rect.y) * rect.width + part.x - rect.x;
    for (let x = row; x < row + part.width; x++, i++) if (values[i] > into[x]) into[x] = values[i];
  }
}

type Edge = Pick<Removal, 'grow' | 'featherIn' | 'featherOut'>;

const alphaOf = (drawn: Drawn[], rect: Rect, edge: Edge): Float32Array =>
  isPlain(edge) ? combineCover(drawn, rect) : softened(combineDistance(drawn, rect, edge), edge);

const isPlain = ({ grow, featherIn, featherOut }: Edge): boolean => grow === 0 && featherIn === 0 && featherOut === 0;

/** What a shape draws on a frame. */
interface Drawn {
  operation: Shape['operation'];
  /** Corners of a box around it, px. */
  x0: number;
  y0: number;
  x1: number;
  y1: number;
  /** Coverage of the pixels of a rectangle, 0..1, written over. */
  cover(out: Float32Array, rect: Rect): void;
  /** Signed distance of the same pixels from its edge, given their coverage; ±reach beyond. */
  distance(cover: Float32Array, rect: Rect, reach: number): Float32Array;
}

function drawnAt(shape: Shape, frame: number): Drawn | undefined {
  if (shape.raster) return isVisible(shape, frame) ? drawnRaster(shape, rasterAt(shape.raster, frame)) : undefined;
  const points = pathAt(shape, frame);
  return points && points.length > 1 ? drawnPath(shape, flatten(points)) : undefined;
}

function drawnPath({ operation }: Shape, polygon: Float64Array): Drawn {
  let [x0, y0, x1, y1] = [Infinity, Infinity, -Infinity, -Infinity];
  for (let i = 0; i < polygon.length; i += 2) {
    [x0, x1] = [Math.min(x0, polygon[i]), Math.max(x1, polygon[i])];
    [y0, y1] = [Math.min(y0, polygon[i + 1]), Math.max(y1, polygon[i + 1])];
  }
  return {
    ...{ operation, x0, y0, x1, y1 },
    cover: (out, rect) => coverPolygon(out, rect, polygon),
    distance: (cover, rect, reach) => signedDistance(cover, rect, polygon, reach),
  };
}

function drawnRaster({ operation }: Shape, patch: RasterPatch | undefined): Drawn | undefined {
  if (!patch) return undefined;
  const { rect: own, values } = patch;
  return {
    ...{ operation, x0: own.x, y0: own.y, x1: own.x + own.width - 1, y1: own.y + own.height - 1 },
    cover(out, rect) {
      out.fill(0);
      const part = intersect(own, rect);
      for (let y = part.y; y < part.y + part.height; y++) {
        for (let x = part.x; x < part.x + part.width; x++) {
          out[(y - rect.y) * rect.width + x - rect.x] = values[(y - own.y) * own.width + x - own.x] / 255;
        }
      }
    },
    distance: rasterDistance,
  };
}

/** Smallest rectangle of the frame that shapes can touch, with the edges that they get; what is cut out adds nothing. */
function extent(groups: [Drawn[], Edge][], width: number, height: number): Rect {
  let [x0, y0, x1, y1] = [Infinity, Infinity, -Infinity, -Infinity];
  for (const [drawn, { grow, featherOut }] of groups) {
    const margin = Math.max(0, grow + featherOut) + 1;
    for (const d of drawn) {
      if (d.operation === 'subtract') continue;
      [x0, x1] = [Math.min(x0, d.x0 - margin), Math.max(x1, d.x1 + margin)];
      [y0, y1] = [Math.min(y0, d.y0 - margin), Math.max(y1, d.y1 + margin)];
    }
  }
  if (x0 > x1) return { x: 0, y: 0, width: 0, height: 0 };
  const [left, top] = [Math.floor(x0), Math.floor(y0)];
  const box = { x: left, y: top, width: Math.ceil(x1) - left + 1, height: Math.ceil(y1) - top + 1 };
  return intersect(box, { x: 0, y: 0, width, height });
}

function combineCover(drawn: Drawn[], rect: Rect): Float32Array {
  const alpha = new Float32Array(rect.width * rect.height);
  for (const d of drawn) {
    const part = partOf(d, rect, 1);
    const cover = new Float32Array(part.width * part.height);
    d.cover(cover, part);
    eachIn(part, rect, (i, k) => {
      alpha[i] = d.operation === 'subtract' ? Math.min(alpha[i], 1 - cover[k]) : Math.max(alpha[i], cover[k]);
    });
  }
  return alpha;
}

/** Signed distance of the combined shapes: the nearer of added ones, the farther from subtracted ones. */
function combineDistance(drawn: Drawn[], rect: Rect, edge: Edge): Float32Array {
  const reach = Math.abs(edge.grow) + Math.max(edge.featherIn, edge.featherOut) + 2;
  const distance = new Float32Array(rect.width * rect.height).fill(reach);
  for (const d of drawn) {
    // Farther away than its reach a shape says nothing.
    const part = partOf(d, rect, reach + 1);
    const cover = new Float32Array(part.width * part.height);
    d.cover(cover, part);
    const own = d.distance(cover, part, reach);
    eachIn(part, rect, (i, k) => {
      distance[i] = d.operation === 'subtract' ? Math.max(distance[i], -own[k]) : Math.min(distance[i], own[k]);
    });
  }
  return distance;
}

/** The part of a rectangle that lies up to `margin` px from a shape. */
function partOf({ x0, y0, x1, y1 }: Drawn, rect: Rect, margin: number): Rect {
  const [x, y] = [Math.floor(x0 - margin), Math.floor(y0 - margin)];
  return intersect({ x, y, width: Math.ceil(x1 + margin) - x + 1, height: Math.ceil(y1 + margin) - y + 1 }, rect);
}

/** Visits the px of a part of a rectangle. @param visit - With their indices in the rectangle and in the part. */
function eachIn(part: Rect, rect: Rect, visit: (i: number, k: number) => void): void {
  for (let v = 0, k = 0; v < part.height; v++) {
    const row = (part.y + v - rect.y) * rect.width + part.x - rect.x;
    for (let i = row; i < row + part.width; i++, k++) visit(i, k);
  }
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
