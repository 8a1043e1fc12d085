import type { Kernels } from '../../kernels/index.ts';
import type { Level } from '../motion/pyramids.ts';

/** The window that corners are followed with reaches from -HALF to HALF - 1 px around each, see `trackPoints`. */
const HALF = 8;
/** Gradients that tell less than this of one direction, as a share of both, tell nothing of where they lie. */
const LEAST_DETERMINANT = 1e-3;

/**
 * Where what a corner's window tells of its movement lies. On a surface that is seen aslant places beside each other move by different
 * amounts; Lucas-Kanade finds the movement of the mean of its window's places, each as its gradient counts along the movement, and that is not the
 * window's middle: below the edge of a roof all that moves sideways may be bricks. A movement that is put at the window's middle is off by
 * the slope times that.
 *
 * @param level - Of the frame's pyramid, at analysis size.
 * @param corners - Windows' middles, interleaved x, y, frame px.
 * @param moved - How each moved off the camera's plane, by source, frame px, NaN where it was not found.
 * @param isHidden - Whether a place of the level is hidden: of what moves there nothing is known.
 * @param scale - Frame px per analysis px.
 * @returns Places, interleaved x, y, frame px.
 */
export function centresOfMovement(
  kernels: Kernels,
  level: Level,
  corners: Float64Array,
  moved: Iterable<Float64Array>,
  isHidden: (x: number, y: number) => boolean,
  scale: number,
): Float64Array {
  const samples = kernels.u16(level.at, level.width * level.height);
  const directions = directionsOf(corners.length / 2, moved);
  const out = corners.slice();
  for (let i = 0; i < out.length; i += 2) {
    const [ux, uy] = [directions[i], directions[i + 1]];
    if (ux === 0 && uy === 0) continue;
    const [x, y] = [Math.round(corners[i] / scale), Math.round(corners[i + 1] / scale)];
    const off = centreOf(samples, level, x, y, ux, uy);
    if (isHidden(x + off.x, y + off.y)) continue;
    out[i] += off.x * scale;
    out[i + 1] += off.y * scale;
  }
  return out;
}

/** The line along which each corner moves, as a vector of length 1; 0 where it does not. */
function directionsOf(n: number, moved: Iterable<Float64Array>): Float64Array {
  const sums = new Float64Array(3 * n);
  for (const m of moved) {
    for (let i = 0; i < n; i++) {
      const [x, y] = [m[2 * i], m[2 * i + 1]];
      if (Number.isNaN(x)) continue;
      sums[3 * i] += x * x;
      sums[3 * i + 1] += x * y;
      sums[3 * i + 2] += y * y;
    }
  }
  const out = new Float64Array(2 * n);
  for (let i = 0; i < n; i++) {
    const [xx, xy, yy] = sums.subarray(3 * i, 3 * i + 3);
    if (xx + yy === 0) continue;
    const angle = Math.atan2(2 * xy, xx - yy) / 2;
    out.set([Math.cos(angle), Math.sin(angle)], 2 * i);
  }
  return out;
}

/** Off the window's middle, px of the level. */
function centreOf(samples: Uint16Array, { width, height }: Level, x: number, y: number, ux: number, uy: number) {
  const off = { x: 0, y: 0 };
  if (x <= HALF || y <= HALF || x >= width - HALF || y >= height - HALF) return off;
  let [xx, xy, yy] = [0, 0, 0];
  gradients(samples, width, x, y, (gx, gy) => {
    xx += gx * gx;
    xy += gx * gy;
    yy += gy * gy;
  });
  const det = xx * yy - xy * xy;
  if (!(det > LEAST_DETERMINANT * xx * yy)) return off;
  // How much a px that moves by 1 along the direction moves the window along it.
  const [hx, hy] = [(yy * ux - xy * uy) / det, (xx * uy - xy * ux) / det];
  gradients(samples, width, x, y, (gx, gy, dx, dy) => {
    const counts = (hx * gx + hy * gy) * (ux * gx + uy * gy);
    off.x += counts * dx;
    off.y += counts * dy;
  });
  return off;
}

function gradients(
  samples: Uint16Array,
  width: number,
  x: number,
  y: number,
  visit: (gx: number, gy: number, dx: number, dy: number) => void,
): void {
  for (let dy = -HALF; dy < HALF; dy++) {
    for (let dx = -HALF, i = (y + dy) * width + x - HALF; dx < HALF; dx++, i++) {
      visit((samples[i + 1] - samples[i - 1]) / 2, (samples[i + width] - samples[i - width]) / 2, dx, dy);
    }
  }
}
