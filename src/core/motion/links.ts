import type { Kernels } from '../../kernels/index.ts';
import { identity3, jacobian, project, type Matrix3 } from '../geometry/homography.ts';
import { findCorners } from './features.ts';
import { fitMotion, squaredError, type MotionFit } from './fitMotion.ts';
import type { Level, Pyramids } from './pyramids.ts';
import { FEW_POINTS } from './scenes.ts';
import { toUnit, type UnitSpace } from './space.ts';

/** Measured motion between two frames. */
export interface Link {
  from: number;
  to: number;
  /** Agreeing correspondences x y u v in unit space. */
  matches: Float32Array;
  fit: MotionFit;
  /** Correlation of the two pictures made very small, as they lie; 1 where the points agree anyway. */
  likeness: number;
}

/** Whether a place of a frame must not be used: (x, y) in frame px. */
export type BlockedAt = (frame: number, x: number, y: number) => boolean;

/** Cells along the picture's long side, with a corner in each: for a full take, and for drafts and reveals. */
export const CORNERS_ACROSS = 22;
export const FEW_CORNERS_ACROSS = 15;
/** Correlation that a tracked window must reach. */
const MIN_ZNCC = 0.8;
/** Steps at each size. With fewer at the smaller ones a walker at the frame's border falls into pieces (`core/movers`). */
export const ITERATIONS = 10;
/** Agreement in the first stage of fitting, px of the analysis image. */
const LOOSE_PX = 4;
/** Matches farther than this from the fitted motion are dropped, px of the analysis image. */
const KEEP_PX = 2;
const POINT_FLOATS = 10;

/** Measures links between frames: corners of one, found in the other by pyramidal Lucas-Kanade. */
export class LinkMeter {
  private readonly corners = new Map<number, Float32Array>();

  constructor(
    private readonly kernels: Kernels,
    private readonly pyramids: Pyramids,
    private readonly space: UnitSpace,
    private readonly blocked: BlockedAt,
    /** Cells along the long side from which one corner each is followed. */
    private readonly across = CORNERS_ACROSS,
  ) {}

  /**
   * @param guess - Expected motion from → to in unit space.
   * @param levels - Pyramid levels to go through: more for a rough guess.
   */
  measure(from: number, to: number, guess: Matrix3 | undefined, levels: number): Link {
    const points = this.prepare(from, guess ?? identity3());
    const n = points.length / POINT_FLOATS;
    // Both pyramids are held while the link is measured: the cache has many more slots than two.
    const a = this.pyramids.get(from);
    const b = this.pyramids.get(to);
    this.kernels.scoped(() => {
      const at = this.kernels.put(points);
      const work = this.kernels.alloc(4 * 1024);
      for (let k = Math.min(levels, a.length) - 1; k >= 0; k--) {
        this.trackLevel(at, n, a[k], b[k], k, work);
      }
      points.set(this.kernels.f32(at, points.length));
    });
    const matches = this.accepted(points, to);
    const perPx = 1 / (this.space.half / this.pyramids.scale);
    const fit = fitMotion(matches, LOOSE_PX * perPx, guess);
    const likeness = fit.inliers < FEW_POINTS ? this.likeness(a.at(-1)!, b.at(-1)!) : 1;
    return { from, to, matches: agreeing(matches, fit.matrix, KEEP_PX * perPx), fit, likeness };
  }

  /** Zero-mean normalised correlation of two small pictures; two that show nothing at all are alike. */
  private likeness(a: Level, b: Level): number {
    const n = a.width * a.height;
    const [p, q] = [this.kernels.u16(a.at, n), this.kernels.u16(b.at, n)];
    let [sp, sq, pp, qq, pq] = [0, 0, 0, 0, 0];
    for (let i = 0; i < n; i++) {
      sp += p[i];
      sq += q[i];
      pp += p[i] * p[i];
      qq += q[i] * q[i];
      pq += p[i] * q[i];
    }
    const [vp, vq] = [pp - (sp * sp) / n, qq - (sq * sq) / n];
    const flat = [vp, vq].filter((v) => v < n).length;
    return flat === 2 ? 1 : flat === 1 ? 0 : (pq - (sp * sq) / n) / Math.sqrt(vp * vq);
  }

  /** Points in level-0 px with their guessed place and local turn. */
  private prepare(from: number, guess: Matrix3): Float32Array {
    const corners = this.cornersOf(from);
    const n = corners.length / 2;
    const points = new Float32Array(n * POINT_FLOATS);
    const { half, cx, cy } = this.space;
    const s = this.pyramids.scale;
    for (let k = 0; k < n; k++) {
      const ux = (corners[2 * k] * s - cx) / half;
      const uy = (corners[2 * k + 1] * s - cy) / half;
      const q = project(guess, ux, uy);
      points.set([corners[2 * k], corners[2 * k + 1], (q.x * half + cx) / s, (q.y * half + cy) / s], k * POINT_FLOATS);
      points.set(jacobian(guess, ux, uy), k * POINT_FLOATS + 4);
    }
    return points;
  }

  private trackLevel(at: number, n: number, a: Level, b: Level, level: number, work: number): void {
    const scale = 2 ** level;
    const points = this.kernels.f32(at, n * POINT_FLOATS);
    const rescale = (by: number): void => {
      for (let k = 0; k < points.length; k += POINT_FLOATS) for (let i = 0; i < 4; i++) points[k + i] *= by;
    };
    rescale(1 / scale);
    this.kernels.run.trackPoints(a.at, b.at, a.width, a.height, at, n, ITERATIONS, work);
    rescale(scale);
  }

  private accepted(points: Float32Array, to: number): Float32Array {
    const s = this.pyramids.scale;
    const out: number[] = [];
    for (let k = 0; k < points.length; k += POINT_FLOATS) {
      if (points[k + 9] !== 1 || points[k + 8] < MIN_ZNCC) continue;
      const [x, y] = [points[k + 2] * s, points[k + 3] * s];
      if (this.blocked(to, x, y)) continue;
      out.push(...toUnit(this.space, points[k] * s, points[k + 1] * s), ...toUnit(this.space, x, y));
    }
    return Float32Array.from(out);
  }

  private cornersOf(frame: number): Float32Array {
    let found = this.corners.get(frame);
    if (!found) {
      const levels = this.pyramids.get(frame);
      const k = Math.min(1, levels.length - 1);
      const step = 2 ** k;
      const px = step * this.pyramids.scale;
      found = findCorners(this.kernels, levels[k], this.across, (x, y) => this.blocked(frame, x * px, y * px));
      for (let i = 0; i < found.length; i++) found[i] *= step;
      this.corners.set(frame, found);
    }
    return found;
  }
}

function agreeing(matches: Float32Array, m: Matrix3, tolerance: number): Float32Array {
  const out: number[] = [];
  for (let i = 0; i < matches.length; i += 4) {
    if (squaredError(matches, i, m) < tolerance * tolerance)
      out.push(matches[i], matches[i + 1], matches[i + 2], matches[i + 3]);
  }
  return Float32Array.from(out);
}
