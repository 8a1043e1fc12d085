import {
  identity3,
  jacobian,
  mixPoints,
  project,
  quadToQuad,
  type Matrix3,
  type Point,
} from '../geometry/homography.ts';
import type { PathPoint } from './shape.ts';

/** What a shape rides on: a region whose corners are known on frames, and the frame in whose px the shape is drawn. */
export interface Ride {
  home: number;
  /** Corners in order, px; in ascending frames. */
  quads: readonly { frame: number; quad: readonly Point[] }[];
}

/** Where the region is at a frame: between known frames corner by corner straight, outside them as at the nearest. */
export function quadAt({ quads }: Ride, frame: number): readonly Point[] | undefined {
  const next = quads.findIndex((q) => q.frame >= frame);
  if (next < 0) return quads.at(-1)?.quad;
  const b = quads[next];
  const a = quads[next - 1] as Ride['quads'][number] | undefined;
  if (b.frame === frame || !a) return b.quad;
  const t = (frame - a.frame) / (b.frame - a.frame);
  return mixPoints(a.quad, b.quad, t);
}

/** From px of the home frame to px of a frame. */
export function rideMatrix(ride: Ride, frame: number): Matrix3 {
  const [from, to] = [quadAt(ride, ride.home), quadAt(ride, frame)];
  return (from && to && quadToQuad(from, to)) ?? identity3();
}

/** A path under a homography: its points exactly, its handles by the derivative there. */
export function movedPath(points: readonly PathPoint[], m: ArrayLike<number>): PathPoint[] {
  return points.map((p) => {
    const [a, b, c, d] = jacobian(m, p.x, p.y);
    return {
      ...project(m, p.x, p.y),
      inX: a * p.inX + b * p.inY,
      inY: c * p.inX + d * p.inY,
      outX: a * p.outX + b * p.outY,
      outY: c * p.outX + d * p.outY,
    };
  });
}
