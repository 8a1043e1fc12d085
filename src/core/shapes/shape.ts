import type { Raster } from './raster.ts';
import type { Ride } from './ride.ts';

/**
 * A corner of a closed path of cubic Béziers: its place and its two handles, as offsets from the place.
 * Frame px, pixel centres at whole numbers.
 */
export interface PathPoint {
  x: number;
  y: number;
  /** Handle towards the point before. */
  inX: number;
  inY: number;
  /** Handle towards the point after. */
  outX: number;
  outY: number;
}

/** How a shape goes from a key to the next: straight, through both without a kink, or not until the next. */
export type Ease = 'linear' | 'smooth' | 'hold';

export interface ShapeKey {
  frame: number;
  ease: Ease;
  points: PathPoint[];
}

export interface Shape {
  id: string;
  name: string;
  /** What it was drawn as: a closed path; or a matte that was made elsewhere. */
  kind: 'path' | 'ellipse' | 'rectangle' | 'matte';
  /** `hold`: what it covers passes in front and stays, whatever the other shapes say. */
  operation: 'add' | 'subtract' | 'hold';
  /** Frames in which it counts, inclusive; without it, all. */
  visible?: { from: number; to: number };
  /** At least one, in ascending frames; none of a matte. One key alone: the shape is constant. */
  keys: ShapeKey[];
  /** What it rides on: its keys are then drawn in px of the ride's home frame. */
  ride?: Ride;
  /** Of a matte: its frames. */
  raster?: Raster;
}

/** One thing to take out of a shot, with everything that belongs to it. */
export interface Removal {
  id: string;
  name: string;
  hidden: boolean;
  shapes: Shape[];
  /** Px that the edge is moved outward (inward below 0). */
  grow: number;
  /** Px over which the edge fades, inward and outward. */
  featherIn: number;
  featherOut: number;
  /** Px that the edge of what is held out is moved outward (inward below 0), and over which it fades, each way. */
  holdGrow: number;
  holdFeather: number;
}

/** Corners without handles. @param places - x0 y0 x1 y1 … */
export const sharpPoints = (places: readonly number[]): PathPoint[] =>
  Array.from({ length: places.length / 2 }, (_, i) => ({
    x: places[2 * i],
    y: places[2 * i + 1],
    inX: 0,
    inY: 0,
    outX: 0,
    outY: 0,
  }));

/** Handle length, in radii, with which four cubic Béziers come within 0.03 % of a circle. */
const CIRCLE_HANDLE = 0.5522847498;

export function ellipsePoints(cx: number, cy: number, rx: number, ry: number): PathPoint[] {
  const [hx, hy] = [rx * CIRCLE_HANDLE, ry * CIRCLE_HANDLE];
  return [
    { x: cx, y: cy - ry, inX: -hx, inY: 0, outX: hx, outY: 0 },
    { x: cx + rx, y: cy, inX: 0, inY: -hy, outX: 0, outY: hy },
    { x: cx, y: cy + ry, inX: hx, inY: 0, outX: -hx, outY: 0 },
    { x: cx - rx, y: cy, inX: 0, inY: hy, outX: 0, outY: -hy },
  ];
}

export function rectanglePoints(x0: number, y0: number, x1: number, y1: number): PathPoint[] {
  const corner = (x: number, y: number): PathPoint => ({ x, y, inX: 0, inY: 0, outX: 0, outY: 0 });
  return [corner(x0, y0), corner(x1, y0), corner(x1, y1), corner(x0, y1)];
}
