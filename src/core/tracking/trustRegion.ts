import { project } from '../geometry/homography.ts';
import { NUDGE, nudged, type Alignment, type CellReading } from './alignRegion.ts';
import type { Motion, Quad, RegionSpace } from './regionModel.ts';

/** Cells below this likeness do not show the region. */
const LIKE = 0.6;
/** So few cells can be like something else by chance: they must match better. */
const FEW_CELLS = 4;
/** Neighbouring cells share samples and grain is not white: their errors are not independent. */
const DEPENDENCE = 6;
/** Error that is expected even of the best match, px. */
const LEAST_ERROR = 0.03;

/** How far an alignment can be believed. */
export interface Trust {
  /** 0..1: above 0.8 the corners are right within a pixel; below 0.3 the region is lost. */
  confidence: number;
  /** Expected error of the corners, px (root mean square). */
  error: number;
  /** Share of the region's area that is seen and agrees, 0..1. */
  share: number;
  /** Mean likeness of that part. */
  likeness: number;
}

const smoothstep = (a: number, b: number, v: number): number => {
  const t = Math.min(1, Math.max(0, (v - a) / (b - a)));
  return t * t * (3 - 2 * t);
};

/**
 * @param readings - Of the cells that were known in the anchor, or wherever it is known.
 * @param ownError - Error of what the region was compared with, px.
 */
export function trustOf(
  found: Alignment,
  readings: readonly CellReading[],
  wholeArea: number,
  quad: Quad,
  space: RegionSpace,
  free: readonly number[],
  ownError: number,
): Trust {
  let [area, alike] = [0, 0];
  for (const r of readings) {
    if (r.likeness < LIKE) continue;
    const part = r.area * Math.min(1, 1.3 * r.weight);
    area += part;
    alike += part * r.likeness;
  }
  const share = wholeArea > 0 ? Math.min(1, area / wholeArea) : 0;
  const likeness = area > 0 ? alike / area : 0;
  const few = readings.filter((r) => r.weight > 0.3).length < FEW_CELLS;
  const [unlike, like] = few ? [0.6, 0.95] : [0.55, 0.8];
  const variance = found.covariance ? cornerVariance(found.motion, found.covariance, quad, space, free) : Infinity;
  const error = Math.sqrt(variance * DEPENDENCE * Math.max(1, found.misfit) + ownError ** 2 + LEAST_ERROR ** 2);
  const confidence = (smoothstep(0.04, 0.25, share) * smoothstep(unlike, like, likeness)) / (1 + error ** 2);
  return { confidence: Number.isFinite(confidence) ? confidence : 0, error, share, likeness };
}

/** Mean variance of the corners' places, px². */
function cornerVariance(
  motion: Motion,
  covariance: Float64Array,
  quad: Quad,
  space: RegionSpace,
  free: readonly number[],
): number {
  const k = free.length;
  const matrices = free.map((p) => nudged(motion, p, space));
  let sum = 0;
  for (const corner of quad) {
    const moves = matrices.map(([a, b]) => {
      const [p, q] = [project(a, corner.x, corner.y), project(b, corner.x, corner.y)];
      return [(p.x - q.x) / NUDGE, (p.y - q.y) / NUDGE];
    });
    for (let r = 0; r < k; r++)
      for (let c = 0; c < k; c++)
        sum += covariance[r * k + c] * (moves[r][0] * moves[c][0] + moves[r][1] * moves[c][1]);
  }
  return sum / 4;
}
