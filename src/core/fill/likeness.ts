import type { CameraMotion } from '../motion/cameraMotion.ts';
import { NOT_COMPARED, type Likeness } from './grain.ts';
import type { RimResidual } from './measure.ts';

/** Every n-th rim pixel is compared. */
const EVERY = 5;
/** Distance of the neighbours whose mean is taken off, px: what is slower than grain does not count. */
const REACH = 3;

/** Compares the grain of a frame with that of another along the camera's motion, on what both rims know. */
export function compareGrain(one: RimResidual, other: RimResidual, motion: CameraMotion): Likeness {
  const out: Likeness = { ...NOT_COMPARED };
  const { rect } = one.region;
  const places: number[] = [];
  const values: number[] = [];
  for (let i = 0; i < one.rim.length; i += EVERY) {
    if (one.rim[i] === 0 || !isRim(one, i % rect.width, Math.floor(i / rect.width))) continue;
    places.push(rect.x + (i % rect.width), rect.y + Math.floor(i / rect.width));
    values.push(fast(one, i));
  }
  const mapped = Float64Array.from(places);
  motion.map(one.region.frame, other.region.frame, mapped);
  values.forEach((a, k) => {
    const b = between(other, mapped[2 * k] - other.region.rect.x, mapped[2 * k + 1] - other.region.rect.y);
    if (b === undefined) return;
    out.both += a * b;
    out.first += a * a;
    out.second += b * b;
    out.apart += Math.abs(a - b);
    out.size += Math.abs(a) + Math.abs(b);
  });
  return out;
}

/** Whether a pixel and its neighbours across are rim. */
function isRim({ rim, region }: RimResidual, x: number, y: number): boolean {
  const { width, height } = region.rect;
  if (x < REACH || y < 0 || x >= width - REACH || y >= height) return false;
  const i = y * width + x;
  return (rim[i] & rim[i - REACH] & rim[i + REACH]) === 1;
}

/** Grain between pixels of the rim: what stays was moved by parts of a pixel too. */
function between(residual: RimResidual, x: number, y: number): number | undefined {
  const [c, r] = [Math.floor(x), Math.floor(y)];
  for (const y1 of [r, r + 1]) if (!isRim(residual, c, y1) || !isRim(residual, c + 1, y1)) return undefined;
  const i = r * residual.region.rect.width + c;
  const below = i + residual.region.rect.width;
  const [u, v] = [x - c, y - r];
  const top = fast(residual, i) * (1 - u) + fast(residual, i + 1) * u;
  return top * (1 - v) + (fast(residual, below) * (1 - u) + fast(residual, below + 1) * u) * v;
}

const fast = ({ values }: RimResidual, i: number): number => values[i] - (values[i - REACH] + values[i + REACH]) / 2;
