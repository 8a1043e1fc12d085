import { glideOver, stretchAt } from './keyed.ts';
import { movedPath, rideMatrix } from './ride.ts';
import type { PathPoint, Shape, ShapeKey } from './shape.ts';

const FIELDS = ['x', 'y', 'inX', 'inY', 'outX', 'outY'] as const;

/** Whether a shape counts at a frame. */
export const isVisible = ({ visible }: Shape, frame: number): boolean =>
  !visible || (frame >= visible.from && frame <= visible.to);

/** The path of a shape at a frame, px of that frame, wherever it rides; undefined where it does not count. */
export function pathAt(shape: Shape, frame: number): PathPoint[] | undefined {
  const points = drawnPathAt(shape, frame);
  return points && shape.ride ? movedPath(points, rideMatrix(shape.ride, frame)) : points;
}

/**
 * The path of a shape at a frame as it was drawn, before it rides; undefined where it does not count.
 *
 * Before the first key and after the last the nearest key holds. Between keys each number of each point goes straight
 * (`linear`), along a cubic Hermite curve whose slope at a key is that of the line through its neighbours (`smooth`;
 * Catmull & Rom 1974, with uneven spacing), or stays (`hold`); the ease of the earlier key decides. If two keys have
 * different numbers of points, the one with fewer is refined without changing its outline: its longest segments are
 * halved (de Casteljau) until both have as many.
 */
export function drawnPathAt(shape: Shape, frame: number): PathPoint[] | undefined {
  const { keys } = shape;
  if (keys.length === 0 || !isVisible(shape, frame)) return undefined;
  const stretch = stretchAt(keys, frame);
  if ('at' in stretch) return stretch.at.points;
  const glide = glideOver(stretch);
  const [from, to] = matched(stretch.from.points, stretch.to.points);
  const usable = (key: ShapeKey | undefined): PathPoint[] | undefined =>
    key?.points.length === from.length ? key.points : undefined;
  const [before, after] = [usable(stretch.before), usable(stretch.after)];
  return from.map((p, i) => {
    const out = { ...p };
    for (const f of FIELDS) out[f] = glide(p[f], to[i][f], before?.[i][f], after?.[i][f]);
    return out;
  });
}

/** Both paths with the same number of points. */
function matched(a: PathPoint[], b: PathPoint[]): [PathPoint[], PathPoint[]] {
  if (a.length === b.length) return [a, b];
  return a.length < b.length ? [refined(a, b.length), b] : [a, refined(b, a.length)];
}

/** The same outline with more points. */
export function refined(points: PathPoint[], count: number): PathPoint[] {
  let out = points;
  while (out.length < count && out.length > 0) out = splitSegment(out, longestSegment(out), 0.5);
  return out;
}

function longestSegment(points: PathPoint[]): number {
  let best = 0;
  let length = -1;
  points.forEach((p, i) => {
    const q = points[(i + 1) % points.length];
    const d = Math.hypot(q.x - p.x, q.y - p.y) + Math.hypot(p.outX, p.outY) + Math.hypot(q.inX, q.inY);
    if (d > length) [best, length] = [i, d];
  });
  return best;
}

/** Inserts a point on segment i (from point i to the next) at parameter t, without changing the outline. */
export function splitSegment(points: PathPoint[], i: number, t: number): PathPoint[] {
  const p = points[i];
  const k = (i + 1) % points.length;
  const q = points[k];
  const mix = (a: number, b: number): number => a + (b - a) * t;
  const axis = (p0: number, p1: number, p2: number, p3: number): [number, number, number, number, number] => {
    const [a, b, c] = [mix(p0, p1), mix(p1, p2), mix(p2, p3)];
    const [d, e] = [mix(a, b), mix(b, c)];
    return [a, d, mix(d, e), e, c];
  };
  const x = axis(p.x, p.x + p.outX, q.x + q.inX, q.x);
  const y = axis(p.y, p.y + p.outY, q.y + q.inY, q.y);
  const middle = { x: x[2], y: y[2], inX: x[1] - x[2], inY: y[1] - y[2], outX: x[3] - x[2], outY: y[3] - y[2] };
  const out = points.slice();
  out[i] = { ...p, outX: x[0] - p.x, outY: y[0] - p.y };
  out[k] = { ...out[k], inX: x[4] - q.x, inY: y[4] - q.y };
  out.splice(i + 1, 0, middle);
  return out;
}
