import type { Rect } from '../image/format.ts';
import type { PathPoint } from './shape.ts';

/** Greatest distance of a flattened curve from the curve, px. */
const FLATNESS = 0.02;

/** A closed polygon, interleaved x, y, that follows a path of Béziers within FLATNESS. */
export function flatten(points: readonly PathPoint[]): Float64Array {
  const out: number[] = [];
  points.forEach((p, i) => {
    const q = points[(i + 1) % points.length];
    const [ax, ay, bx, by] = [p.x + p.outX, p.y + p.outY, q.x + q.inX, q.y + q.inY];
    // Uniform steps: their number bounds the error by the second differences (Wang 1984; Sederberg 2.12).
    const bend = Math.max(
      Math.hypot(p.x - 2 * ax + bx, p.y - 2 * ay + by),
      Math.hypot(ax - 2 * bx + q.x, ay - 2 * by + q.y),
    );
    // Between corners the curve is the straight line, which needs no more points, however unevenly it runs along it.
    const straight = p.outX === 0 && p.outY === 0 && q.inX === 0 && q.inY === 0;
    const steps = straight ? 1 : Math.max(1, Math.ceil(Math.sqrt((0.75 * bend) / FLATNESS)));
    for (let s = 0; s < steps; s++) {
      const t = s / steps;
      const u = 1 - t;
      const [a, b, c, d] = [u * u * u, 3 * u * u * t, 3 * u * t * t, t * t * t];
      out.push(a * p.x + b * ax + c * bx + d * q.x, a * p.y + b * ay + c * by + d * q.y);
    }
  });
  return Float64Array.from(out);
}

/**
 * Exact area coverage of a polygon: each value is the share of the pixel's square that lies inside (signed areas
 * accumulated along rows; Catmull 1978, "A hidden-surface algorithm with anti-aliasing"). Where a polygon overlaps
 * itself in the same sense the coverage stays 1.
 *
 * @param out - rect.width·rect.height, row-major, overwritten with 0..1. Pixel (i, j) covers ±½ around its centre.
 */
export function coverPolygon(out: Float32Array, rect: Rect, polygon: ArrayLike<number>): void {
  const { width: w, height: h } = rect;
  // One more column takes what lies right of the last pixel.
  const sums = new Float32Array((w + 2) * h);
  const n = polygon.length;
  for (let i = 0; i < n; i += 2) {
    const j = (i + 2) % n;
    const [x0, y0] = [polygon[i] - rect.x + 0.5, polygon[i + 1] - rect.y + 0.5];
    const [x1, y1] = [polygon[j] - rect.x + 0.5, polygon[j + 1] - rect.y + 0.5];
    addEdge(sums, w, h, x0, y0, x1, y1);
  }
  for (let y = 0; y < h; y++) {
    let sum = 0;
    for (let x = 0; x < w; x++) {
      sum += sums[y * (w + 2) + x];
      out[y * w + x] = Math.min(1, Math.abs(sum));
    }
  }
}

function addEdge(sums: Float32Array, w: number, h: number, ax: number, ay: number, bx: number, by: number): void {
  if (ay === by) return;
  const sign = ay < by ? 1 : -1;
  const [x0, y0, x1, y1] = sign > 0 ? [ax, ay, bx, by] : [bx, by, ax, ay];
  const slope = (x1 - x0) / (y1 - y0);
  const first = Math.max(0, Math.floor(y0));
  const last = Math.min(h, Math.ceil(y1));
  for (let row = first; row < last; row++) {
    const top = Math.max(y0, row);
    const bottom = Math.min(y1, row + 1);
    if (bottom <= top) continue;
    const xt = x0 + (top - y0) * slope;
    const xb = x0 + (bottom - y0) * slope;
    addRow(sums, row * (w + 2), w, Math.min(xt, xb), Math.max(xt, xb), sign * (bottom - top));
  }
}

/** Spreads an edge piece of height `dy` between xl and xr over the pixels that it crosses. */
function addRow(sums: Float32Array, base: number, w: number, xl: number, xr: number, dy: number): void {
  const span = xr - xl;
  // What lies beyond the left side covers the whole row; what lies beyond the right side covers nothing.
  const beyond = xl >= 0 ? 0 : span === 0 ? dy : (Math.min(xr, 0) - xl) * (dy / span);
  sums[base] += beyond;
  // An edge on the left side itself lies in the first pixel.
  if (xr < 0 || xl >= w) return;
  const left = Math.max(0, xl);
  const right = Math.min(w, xr);
  let passed = 0;
  let given = 0;
  let i = Math.floor(left);
  do {
    const a = Math.max(left, i);
    const b = Math.min(right, i + 1);
    const height = span === 0 ? dy : (b - a) * (dy / span);
    // Of this pixel's square the part right of the edge is covered; what passed further left covers it wholly.
    const covered = passed + height * (1 - ((a + b) / 2 - i));
    sums[base + i] += covered - given;
    given = covered;
    passed += height;
    i++;
  } while (i < right);
  sums[base + i] += passed - given;
}
