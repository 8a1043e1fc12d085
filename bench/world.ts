import type { SurfacePoint, Truth } from '../demo/shot.ts';

/** Grid step on which true motion is evaluated, px. */
export const STEP = 8;

/** What a frame shows of the still world at every STEP-th pixel. @param only - 1 for the cells that are asked for. */
export function surfacesOf(
  truth: Truth,
  frame: number,
  w: number,
  h: number,
  only?: Uint8Array,
): (SurfacePoint | undefined)[] {
  const cols = Math.ceil(w / STEP);
  return Array.from({ length: cols * Math.ceil(h / STEP) }, (_, k) =>
    only && !only[k] ? undefined : truth.surface(frame, (k % cols) * STEP, Math.floor(k / cols) * STEP),
  );
}

/** Places of points of the still world in a frame, interleaved x, y; NaN where they are hidden or out of view. */
export function placesIn(truth: Truth, frame: number, points: readonly (SurfacePoint | undefined)[]): Float32Array {
  const out = new Float32Array(points.length * 2).fill(NaN);
  points.forEach((point, k) => {
    const place = point && truth.place(frame, point);
    if (place) out.set([place.x, place.y], 2 * k);
  });
  return out;
}

/** Grid cells within two steps of a set pixel. */
export function cellsNear(mask: Uint8Array, w: number, h: number): Uint8Array {
  const cols = Math.ceil(w / STEP);
  const rows = Math.ceil(h / STEP);
  const out = new Uint8Array(cols * rows);
  for (let i = 0; i < mask.length; i++) {
    if (!mask[i]) continue;
    const [c, r] = [Math.floor((i % w) / STEP), Math.floor(i / w / STEP)];
    for (let b = Math.max(0, r - 2); b <= Math.min(rows - 1, r + 3); b++) {
      for (let a = Math.max(0, c - 2); a <= Math.min(cols - 1, c + 3); a++) out[b * cols + a] = 1;
    }
  }
  return out;
}

/** A place between grid points, by bilinear interpolation; undefined where a corner is missing. */
export function at(grid: Float32Array, cols: number, x: number, y: number): [number, number] | undefined {
  const [c, r] = [Math.floor(x / STEP), Math.floor(y / STEP)];
  const [u, v] = [x / STEP - c, y / STEP - r];
  const a = 2 * (r * cols + c);
  const b = a + 2 * cols;
  const mixAt = (k: number): number =>
    (grid[a + k] * (1 - u) + grid[a + 2 + k] * u) * (1 - v) + (grid[b + k] * (1 - u) + grid[b + 2 + k] * u) * v;
  const p: [number, number] = [mixAt(0), mixAt(1)];
  return Number.isFinite(p[0]) && Number.isFinite(p[1]) ? p : undefined;
}
