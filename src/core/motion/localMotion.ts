import type { Kernels } from '../../kernels/index.ts';
import { jacobian } from '../geometry/homography.ts';
import { median, solveCholesky } from '../geometry/linear.ts';
import { grow, intersect, snap, type Rect } from '../image/format.ts';
import type { CameraMotion } from './cameraMotion.ts';
import { gemanMcClure } from './fitMotion.ts';
import type { BlockedAt } from './links.ts';
import type { Level, Pyramids } from './pyramids.ts';

/** Anything that tells where places of a frame lie in another: interleaved x, y in frame px, overwritten. */
export interface FrameMap {
  map(from: number, to: number, points: Float32Array | Float64Array): void;
}

/** What is added to the camera's map around a hole: dx = d[0] + d[1]·u + d[2]·v, dy likewise from d[3]; (u, v) = (x − cx, y − cy) / scale. */
interface Correction {
  cx: number;
  cy: number;
  scale: number;
  d: Float64Array;
}

/** How far around the hole corners are followed, and the side of the cells with one corner each, analysis px. */
const SURROUNDINGS = 44;
const CELL = 11;
/** A score needs so many px around it, and a cell reaches beyond the surroundings. */
const SCORE_MARGIN = 16;
const MOST_POINTS = 90;
/** Distance at which a corner's weight is halved once, analysis px. */
const NEAR = 12;
const LEVELS = 3;
const ITERATIONS = 10;
const MIN_ZNCC = 0.75;
/** Points needed for a shift, and for an affine correction. */
const NEEDED_SHIFT = 5;
const NEEDED_AFFINE = 14;
/** A correction is used if it takes off this share of the typical error, and the error was worth it, analysis px. */
const LEAST_GAIN = 0.25;
const LEAST_ERROR = 0.12;
const POINT_FLOATS = 10;
/** Sources, the farthest ones, that tell whether there is anything to correct. */
const PROBES = 2;

/**
 * The camera's motion with small corrections around the hole: what lies behind it may stand nearer or farther than the
 * plane that the camera's motion describes (parallax), so its surroundings are followed once more, from the frame to each
 * source, and an affine residual is fitted robustly.
 */
export class LocalMotion implements FrameMap {
  private readonly corrections = new Map<string, Correction>();

  constructor(
    private readonly kernels: Kernels,
    private readonly camera: CameraMotion,
    private readonly pyramids: Pyramids,
    private readonly blocked: BlockedAt,
  ) {}

  map(from: number, to: number, points: Float32Array | Float64Array): void {
    const c = this.corrections.get(`${from}>${to}`);
    if (!c) return this.camera.map(from, to, points);
    const places = points.slice();
    this.camera.map(from, to, points);
    for (let i = 0; i < points.length; i += 2) {
      const [u, v] = [(places[i] - c.cx) / c.scale, (places[i + 1] - c.cy) / c.scale];
      points[i] += c.d[0] + c.d[1] * u + c.d[2] * v;
      points[i + 1] += c.d[3] + c.d[4] * u + c.d[5] * v;
    }
  }

  /** Measures the surroundings of a frame's hole against each source. @returns The number of sources corrected. */
  refine(frame: number, hole: Rect, sources: readonly number[]): number {
    if (this.camera.data.tripod) return 0;
    const corners = this.cornersAround(frame, hole);
    const away = (s: number): number => Math.abs(s - frame);
    const farFirst = sources.filter((s) => s !== frame).sort((a, b) => away(b) - away(a) || a - b);
    let found = 0;
    for (const [k, s] of farFirst.entries()) {
      // Parallax grows with the distance: where the farthest sources show none, the others need not be asked.
      if (k === PROBES && found === 0) return 0;
      const correction = this.measure(frame, s, corners, hole);
      if (!correction) continue;
      this.corrections.set(`${frame}>${s}`, correction);
      found++;
    }
    return found;
  }

  /** Corners near the hole, level-0 px, the best of each small cell. */
  private cornersAround(frame: number, hole: Rect): Float32Array {
    const { kernels } = this;
    const k = this.pyramids.scale;
    const [level] = this.pyramids.get(frame);
    const near = grow({ x: hole.x / k, y: hole.y / k, width: hole.width / k, height: hole.height / k }, SURROUNDINGS);
    const score = scoreAround(kernels, level, grow(near, SCORE_MARGIN));
    const found: { x: number; y: number; s: number }[] = [];
    for (let cy = Math.max(12, near.y); cy < Math.min(level.height - 12, near.y + near.height); cy += CELL) {
      for (let cx = Math.max(12, near.x); cx < Math.min(level.width - 12, near.x + near.width); cx += CELL) {
        const best = this.bestOfCell(score, level, Math.floor(cx), Math.floor(cy), frame);
        if (best) found.push(best);
      }
    }
    found.sort((a, b) => b.s - a.s);
    return Float32Array.from(found.slice(0, MOST_POINTS).flatMap((f) => [f.x, f.y]));
  }

  private bestOfCell(
    score: (x: number, y: number) => number,
    level: Level,
    cx: number,
    cy: number,
    frame: number,
  ): { x: number; y: number; s: number } | undefined {
    const k = this.pyramids.scale;
    let best: { x: number; y: number; s: number } | undefined;
    for (let y = cy; y < Math.min(cy + CELL, level.height - 12); y++) {
      for (let x = cx; x < Math.min(cx + CELL, level.width - 12); x++) {
        const s = score(x, y);
        if (s > (best?.s ?? 1) && !this.blocked(frame, x * k, y * k)) best = { x, y, s };
      }
    }
    return best;
  }

  private measure(frame: number, source: number, corners: Float32Array, hole: Rect): Correction | undefined {
    const k = this.pyramids.scale;
    const guess = Float64Array.from(corners, (v) => v * k);
    const places = guess.slice();
    this.camera.map(frame, source, guess);
    const plane = this.camera.plane(frame, source);
    const points = new Float32Array((corners.length / 2) * POINT_FLOATS);
    for (let i = 0; i < corners.length; i += 2) {
      const at = (i / 2) * POINT_FLOATS;
      points.set([corners[i], corners[i + 1], guess[i] / k, guess[i + 1] / k], at);
      points.set(jacobian(plane, places[i], places[i + 1]), at + 4);
    }
    this.track(frame, source, points);
    const scale = Math.max(hole.width, hole.height) / 2 + SURROUNDINGS * k;
    const centre = { cx: hole.x + hole.width / 2, cy: hole.y + hole.height / 2, scale };
    const rows: Residual[] = [];
    for (let p = 0, i = 0; p < points.length; p += POINT_FLOATS, i += 2) {
      if (points[p + 9] !== 1 || points[p + 8] < MIN_ZNCC) continue;
      const [x, y] = [points[p + 2] * k, points[p + 3] * k];
      if (this.blocked(source, x, y)) continue;
      const d = distanceTo(hole, places[i], places[i + 1]) / k;
      rows.push({
        u: (places[i] - centre.cx) / scale,
        v: (places[i + 1] - centre.cy) / scale,
        ex: x - guess[i],
        ey: y - guess[i + 1],
        near: 1 / (1 + (d / NEAR) ** 2),
      });
    }
    const d = fitResidual(rows, k);
    return d && { ...centre, d };
  }

  private track(frame: number, source: number, points: Float32Array): void {
    const [a, b] = [this.pyramids.get(frame), this.pyramids.get(source)];
    const n = points.length / POINT_FLOATS;
    this.kernels.scoped(() => {
      const at = this.kernels.put(points);
      const work = this.kernels.alloc(4096);
      const view = this.kernels.f32(at, points.length);
      for (let level = Math.min(LEVELS, a.length) - 1; level >= 0; level--) {
        const by = 2 ** level;
        const rescale = (f: number): void => {
          for (let i = 0; i < view.length; i += POINT_FLOATS) for (let c = 0; c < 4; c++) view[i + c] *= f;
        };
        rescale(1 / by);
        const { at: tpl, width, height } = a[level];
        this.kernels.run.trackPoints(tpl, b[level].at, width, height, at, n, ITERATIONS, work);
        rescale(by);
      }
      points.set(view);
    });
  }
}

interface Residual {
  u: number;
  v: number;
  ex: number;
  ey: number;
  /** Weight by nearness to the hole. */
  near: number;
}

/** Corner scores of a part of a level, by place in the level. */
function scoreAround(kernels: Kernels, level: Level, part: Rect): (x: number, y: number) => number {
  const whole = { x: 0, y: 0, width: level.width, height: level.height };
  const r = intersect(snap(part, 1), whole);
  const values = kernels.scoped(() => {
    const from = kernels.u16(level.at, level.width * level.height);
    const cut = kernels.alloc(r.width * r.height * 2);
    const into = kernels.u16(cut, r.width * r.height);
    for (let y = 0; y < r.height; y++) {
      const at = (r.y + y) * level.width + r.x;
      into.set(from.subarray(at, at + r.width), y * r.width);
    }
    const out = kernels.alloc(r.width * r.height * 4);
    kernels.run.cornerScore(cut, r.width, r.height, out, kernels.alloc(r.width * 96));
    return kernels.f32(out, r.width * r.height).slice();
  });
  return (x, y) => values[(y - r.y) * r.width + x - r.x];
}

/** Robust affine (or shift) of the residuals; undefined if it would not help. */
function fitResidual(rows: readonly Residual[], pxPerAnalysisPx: number): Float64Array | undefined {
  if (rows.length < NEEDED_SHIFT) return undefined;
  const terms = rows.length >= NEEDED_AFFINE ? 3 : 1;
  let d: Float64Array = Float64Array.of(weightedMedian(rows, 'ex'), 0, 0, weightedMedian(rows, 'ey'), 0, 0);
  const error = (r: Residual, c: Float64Array): number =>
    Math.hypot(r.ex - c[0] - c[1] * r.u - c[2] * r.v, r.ey - c[3] - c[4] * r.u - c[5] * r.v);
  for (const sigma of [2, 1, 0.6, 0.4, 0.4]) d = solveWeighted(rows, d, terms, (sigma * pxPerAnalysisPx) ** 2, error);
  const nearest = [...rows].sort((a, b) => b.near - a.near).slice(0, Math.max(8, rows.length >> 1));
  const still = new Float64Array(6);
  const before = median(nearest.map((r) => error(r, still))) / pxPerAnalysisPx;
  const after = median(nearest.map((r) => error(r, d))) / pxPerAnalysisPx;
  return before > LEAST_ERROR && after < before * (1 - LEAST_GAIN) ? d : undefined;
}

function weightedMedian(rows: readonly Residual[], field: 'ex' | 'ey'): number {
  const sorted = [...rows].sort((a, b) => a[field] - b[field]);
  const half = rows.reduce((s, r) => s + r.near, 0) / 2;
  let sum = 0;
  for (const r of sorted) if ((sum += r.near) >= half) return r[field];
  return 0;
}

function solveWeighted(
  rows: readonly Residual[],
  d: Float64Array,
  terms: number,
  sigma2: number,
  error: (r: Residual, d: Float64Array) => number,
): Float64Array {
  const a = new Float64Array(terms * terms);
  const bx = new Float64Array(terms);
  const by = new Float64Array(terms);
  for (const r of rows) {
    const w = r.near * gemanMcClure(error(r, d) ** 2, sigma2);
    const f = [1, r.u, r.v];
    for (let i = 0; i < terms; i++) {
      bx[i] += w * f[i] * r.ex;
      by[i] += w * f[i] * r.ey;
      for (let j = 0; j <= i; j++) a[i * terms + j] += w * f[i] * f[j];
    }
  }
  for (let i = 0; i < terms; i++) a[i * terms + i] += i === 0 ? 1e-6 : 0.05;
  if (!solveCholesky(a.slice(), bx, terms) || !solveCholesky(a, by, terms)) return d;
  const out = new Float64Array(6);
  out.set(bx);
  out.set(by, 3);
  return out;
}

function distanceTo(r: Rect, x: number, y: number): number {
  return Math.hypot(Math.max(r.x - x, 0, x - r.x - r.width), Math.max(r.y - y, 0, y - r.y - r.height));
}
