import { quadToQuad } from '../../core/geometry/homography.ts';
import { splitSegment } from '../../core/shapes/interpolate.ts';
import { movedPath } from '../../core/shapes/ride.ts';
import type { PathPoint } from '../../core/shapes/shape.ts';

/** Changes of an outline; none changes its argument. Frame px. */

export interface Place {
  x: number;
  y: number;
}

export function translate(points: readonly PathPoint[], dx: number, dy: number): PathPoint[] {
  return points.map((p) => ({ ...p, x: p.x + dx, y: p.y + dy }));
}

/** Middle of the box around an outline's points. */
export function middleOfPath(points: readonly PathPoint[]): Place {
  const { x, y, width, height } = boundsOf(points);
  return { x: x + width / 2, y: y + height / 2 };
}

/** Scales by (sx, sy) about a place that stays. */
export function scale(points: readonly PathPoint[], about: Place, sx: number, sy: number): PathPoint[] {
  return points.map((p) => ({
    x: about.x + (p.x - about.x) * sx,
    y: about.y + (p.y - about.y) * sy,
    inX: p.inX * sx,
    inY: p.inY * sy,
    outX: p.outX * sx,
    outY: p.outY * sy,
  }));
}

/** Turns clockwise (as seen, y down) by an angle in radians about a place. */
export function rotate(points: readonly PathPoint[], about: Place, angle: number): PathPoint[] {
  const [c, s] = [Math.cos(angle), Math.sin(angle)];
  const turn = (x: number, y: number): [number, number] => [x * c - y * s, x * s + y * c];
  return points.map((p) => {
    const [x, y] = turn(p.x - about.x, p.y - about.y);
    const [inX, inY] = turn(p.inX, p.inY);
    const [outX, outY] = turn(p.outX, p.outY);
    return { x: about.x + x, y: about.y + y, inX, inY, outX, outY };
  });
}

/**
 * Pulls one corner of the box around an outline, as perspective would: the other corners stay.
 * @param x, y - Which corner: -1 or 1 each way.
 */
export function pinCorner(points: readonly PathPoint[], x: number, y: number, dx: number, dy: number): PathPoint[] {
  const box = boundsOf(points);
  const corners = [
    [-1, -1],
    [1, -1],
    [1, 1],
    [-1, 1],
  ].map(([u, v]) => ({ u, v, x: box.x + (box.width * (u + 1)) / 2, y: box.y + (box.height * (v + 1)) / 2 }));
  const pulled = corners.map((c) => (c.u === x && c.v === y ? { x: c.x + dx, y: c.y + dy } : c));
  const m = quadToQuad(corners, pulled);
  return m ? movedPath(points, m) : [...points];
}

export function movePoint(points: readonly PathPoint[], index: number, to: Place): PathPoint[] {
  return points.map((p, i) => (i === index ? { ...p, x: to.x, y: to.y } : p));
}

/**
 * Moves a handle's end to a place. The handle on the other side turns along and keeps its length, unless `alone` or
 * there is none.
 */
export function moveHandle(
  points: readonly PathPoint[],
  index: number,
  side: 'in' | 'out',
  to: Place,
  alone = false,
): PathPoint[] {
  return points.map((p, i) => {
    if (i !== index) return p;
    const [x, y] = [to.x - p.x, to.y - p.y];
    const other = side === 'in' ? [p.outX, p.outY] : [p.inX, p.inY];
    const length = Math.hypot(other[0], other[1]);
    const own = Math.hypot(x, y);
    const turned = alone || length === 0 || own === 0 ? other : [(-x / own) * length, (-y / own) * length];
    return side === 'in'
      ? { ...p, inX: x, inY: y, outX: turned[0], outY: turned[1] }
      : { ...p, outX: x, outY: y, inX: turned[0], inY: turned[1] };
  });
}

/** Without one point; an outline keeps at least three. */
export function removePoint(points: readonly PathPoint[], index: number): PathPoint[] {
  return points.length <= 3 ? points.slice() : points.filter((_, i) => i !== index);
}

/** A corner becomes round (a third of the way to its neighbours), a round point becomes a corner. */
export function toggleCorner(points: readonly PathPoint[], index: number): PathPoint[] {
  const p = points[index];
  const [before, after] = [points.at(index - 1)!, points[(index + 1) % points.length]];
  const round = Math.hypot(p.inX, p.inY) + Math.hypot(p.outX, p.outY) > 0;
  const [dx, dy] = [(after.x - before.x) / 6, (after.y - before.y) / 6];
  const changed = round ? { ...p, inX: 0, inY: 0, outX: 0, outY: 0 } : { ...p, inX: -dx, inY: -dy, outX: dx, outY: dy };
  return points.map((q, i) => (i === index ? changed : q));
}

const SAMPLES = 24;

/** Inserts a point where the outline is nearest to a place, without changing the outline. */
export function insertPoint(points: PathPoint[], near: Place): { points: PathPoint[]; index: number } {
  let best = { segment: 0, t: 0.5, distance: Infinity };
  points.forEach((p, segment) => {
    const q = points[(segment + 1) % points.length];
    for (let s = 1; s < SAMPLES; s++) {
      const t = s / SAMPLES;
      const at = pointOn(p, q, t);
      const distance = Math.hypot(at.x - near.x, at.y - near.y);
      if (distance < best.distance) best = { segment, t, distance };
    }
  });
  return { points: splitSegment(points, best.segment, best.t), index: best.segment + 1 };
}

function pointOn(p: PathPoint, q: PathPoint, t: number): Place {
  const u = 1 - t;
  const [a, b, c, d] = [u ** 3, 3 * u * u * t, 3 * u * t * t, t ** 3];
  return {
    x: a * p.x + b * (p.x + p.outX) + c * (q.x + q.inX) + d * q.x,
    y: a * p.y + b * (p.y + p.outY) + c * (q.y + q.inY) + d * q.y,
  };
}

export function boundsOf(points: readonly PathPoint[]): { x: number; y: number; width: number; height: number } {
  const [xs, ys] = [points.map((p) => p.x), points.map((p) => p.y)];
  const [x, y] = [Math.min(...xs), Math.min(...ys)];
  return { x, y, width: Math.max(...xs) - x, height: Math.max(...ys) - y };
}

/** Hundredths of a px are finer than any eye and half as long in the journal. */
const round = (v: number): number => Math.round(v * 100) / 100;
export const rounded = (p: PathPoint): PathPoint => ({
  x: round(p.x),
  y: round(p.y),
  inX: round(p.inX),
  inY: round(p.inY),
  outX: round(p.outX),
  outY: round(p.outY),
});
