import type { Rect } from '../image/format.ts';

/**
 * Signed distance of pixel centres from a polygon's outline, px: below 0 inside. Exact within `reach` of the outline,
 * ±reach beyond. Bridges without width, by which parts that lie apart are one polygon, are no outline.
 *
 * @param cover - Coverage of the same pixels by the polygon, which tells the side.
 * @param polygon - Interleaved x, y, frame px.
 */
export function signedDistance(
  cover: Float32Array,
  rect: Rect,
  polygon: ArrayLike<number>,
  reach: number,
): Float32Array {
  const { width: w, height: h } = rect;
  const squared = new Float32Array(w * h).fill(reach * reach);
  for (const [ax, ay, bx, by] of outlineSegments(polygon)) nearSegment(squared, rect, reach, ax, ay, bx, by);
  const out = new Float32Array(w * h);
  for (let i = 0; i < out.length; i++) out[i] = cover[i] > 0.5 ? -Math.sqrt(squared[i]) : Math.sqrt(squared[i]);
  return out;
}

type Segment = [number, number, number, number];

/** Its sides, without those that it goes there and back; all of them if it is nothing else than such a line. */
function outlineSegments(polygon: ArrayLike<number>): Segment[] {
  const n = polygon.length;
  const all: Segment[] = [];
  for (let i = 0; i < n; i += 2) {
    const j = (i + 2) % n;
    all.push([polygon[i], polygon[i + 1], polygon[j], polygon[j + 1]]);
  }
  const ways = new Set(all.map((segment) => segment.join()));
  const sides = all.filter(([ax, ay, bx, by]) => !ways.has([bx, by, ax, ay].join()));
  return sides.length > 0 ? sides : all;
}

function nearSegment(
  squared: Float32Array,
  { x: left, y: top, width: w, height: h }: Rect,
  reach: number,
  ax: number,
  ay: number,
  bx: number,
  by: number,
): void {
  const [dx, dy] = [bx - ax, by - ay];
  const length2 = dx * dx + dy * dy;
  const y0 = Math.max(0, Math.ceil(Math.min(ay, by) - reach - top));
  const y1 = Math.min(h - 1, Math.floor(Math.max(ay, by) + reach - top));
  const x0 = Math.max(0, Math.ceil(Math.min(ax, bx) - reach - left));
  const x1 = Math.min(w - 1, Math.floor(Math.max(ax, bx) + reach - left));
  for (let y = y0; y <= y1; y++) {
    const py = y + top - ay;
    for (let x = x0; x <= x1; x++) {
      const px = x + left - ax;
      const t = length2 === 0 ? 0 : Math.min(1, Math.max(0, (px * dx + py * dy) / length2));
      const d = (px - t * dx) ** 2 + (py - t * dy) ** 2;
      if (d < squared[y * w + x]) squared[y * w + x] = d;
    }
  }
}
