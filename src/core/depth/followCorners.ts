import type { Kernels } from '../../kernels/index.ts';
import { jacobian } from '../geometry/homography.ts';
import { grow, intersect, snap, type Rect } from '../image/format.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import { findCorners } from '../motion/features.ts';
import { ITERATIONS, type BlockedAt } from '../motion/links.ts';
import type { Level, Pyramids } from '../motion/pyramids.ts';

/** Side of the cells with one corner each, analysis px. */
const CELL = 9;
/** Side of the blocks of cells among which the corners are shared out, analysis px. */
const BLOCK = 27;
/** A score needs so many px around it, and a cell reaches beyond the area. */
const SCORE_MARGIN = 16;
/** Corners keep this distance from the border, analysis px. */
const BORDER = 12;
/** Corners, whatever lies beside them, and those that are shared out among the blocks. */
const STRONGEST = 90;
const SHARED_OUT = 80;
/** Area of as many, analysis px; a larger one gets more of them, but not more times as many as this. */
const SHARED_AREA = 100_000;
const MOST_SHARES = 5;
const LEVELS = 3;
const MIN_ZNCC = 0.75;
const POINT_FLOATS = 10;

/** A corner of the analysis image and its score. */
interface Found {
  x: number;
  y: number;
  s: number;
}

/** What is looked for in a source, and where. */
export interface Aim {
  /** Numbers of the corners that are looked for. */
  asked: readonly number[];
  /** Where corners are looked for, off where the camera's plane puts them, px, interleaved. */
  expected: Float64Array;
  /** The Jacobian (rows one after the other) of what is around each corner; that of the camera's plane if not given. */
  turns?: Float64Array;
}

/** Corners that were followed: places, interleaved x, y, and how far they moved off the camera's plane, by source, frame px. */
export interface FollowedCorners {
  places: Float64Array;
  moved: Map<number, Float64Array>;
}

/** Finds corners in a part of a frame, and where other frames show them (pyramidal Lucas-Kanade). */
export class CornerFollower {
  constructor(
    private readonly kernels: Kernels,
    private readonly camera: CameraMotion,
    private readonly pyramids: Pyramids,
    private readonly blocked: BlockedAt,
  ) {}

  /**
   * The best corner of each small cell; if there are many, the strongest ones, and of those that are left some of every part: one
   * surface may show much stronger texture than what lies beside it.
   * @returns Places in frame px, interleaved.
   */
  corners(frame: number, area: Rect): { strong: Float64Array; others: Float64Array } {
    const k = this.pyramids.scale;
    const [level] = this.pyramids.get(frame);
    const part = { x: area.x / k, y: area.y / k, width: area.width / k, height: area.height / k };
    const score = scoreAround(this.kernels, level, grow(part, SCORE_MARGIN));
    const found: Found[] = [];
    for (let cy = Math.max(BORDER, part.y); cy < Math.min(level.height - BORDER, part.y + part.height); cy += CELL) {
      for (let cx = Math.max(BORDER, part.x); cx < Math.min(level.width - BORDER, part.x + part.width); cx += CELL) {
        const best = this.bestOfCell(score, level, Math.floor(cx), Math.floor(cy), frame);
        if (best) found.push(best);
      }
    }
    found.sort((a, b) => b.s - a.s);
    const places = (some: Found[]): Float64Array => Float64Array.from(some.flatMap((f) => [f.x * k, f.y * k]));
    const shares = Math.min(MOST_SHARES, Math.max(1, (part.width * part.height) / SHARED_AREA));
    const others = sharedOut(found.slice(STRONGEST)).slice(0, Math.round(shares * SHARED_OUT));
    return { strong: places(found.slice(0, STRONGEST)), others: places(others) };
  }

  /** Corners all over a frame, one in each cell of a grid. @returns Places in frame px, interleaved. */
  spread(frame: number, across: number): Float64Array {
    const levels = this.pyramids.get(frame);
    const k = Math.min(1, levels.length - 1);
    const px = 2 ** k * this.pyramids.scale;
    const found = findCorners(this.kernels, levels[k], across, (x, y) => this.blocked(frame, x * px, y * px));
    return Float64Array.from(found, (v) => v * px);
  }

  private bestOfCell(
    score: (x: number, y: number) => number,
    level: Level,
    cx: number,
    cy: number,
    frame: number,
  ): Found | undefined {
    const k = this.pyramids.scale;
    let best: Found | undefined;
    for (let y = cy; y < Math.min(cy + CELL, level.height - BORDER); y++) {
      for (let x = cx; x < Math.min(cx + CELL, level.width - BORDER); x++) {
        const s = score(x, y);
        if (s > (best?.s ?? 1) && !this.blocked(frame, x * k, y * k)) best = { x, y, s };
      }
    }
    return best;
  }

  /**
   * How each corner moved other than the camera's motion says, px, interleaved; NaN where it was not found.
   * @param levels - Sizes of the picture at which they are looked for, each twice as large as the one before.
   */
  moved(
    frame: number,
    source: number,
    corners: Float64Array,
    { asked, expected, turns }: Aim,
    levels = LEVELS,
  ): Float64Array {
    const k = this.pyramids.scale;
    const guess = corners.slice();
    this.camera.map(frame, source, guess);
    const plane = this.camera.plane(frame, source);
    const points = new Float32Array(asked.length * POINT_FLOATS);
    for (const [n, corner] of asked.entries()) {
      const [at, i] = [n * POINT_FLOATS, 2 * corner];
      const [x, y] = [guess[i] + expected[i], guess[i + 1] + expected[i + 1]];
      points.set([corners[i] / k, corners[i + 1] / k, x / k, y / k], at);
      points.set(turns?.subarray(2 * i, 2 * i + 4) ?? jacobian(plane, corners[i], corners[i + 1]), at + 4);
    }
    this.track(frame, source, points, levels);
    const out = new Float64Array(corners.length).fill(NaN);
    for (const [n, corner] of asked.entries()) {
      const [p, i] = [n * POINT_FLOATS, 2 * corner];
      const [x, y] = [points[p + 2] * k, points[p + 3] * k];
      if (points[p + 9] !== 1 || points[p + 8] < MIN_ZNCC || this.blocked(source, x, y)) continue;
      out[i] = x - guess[i];
      out[i + 1] = y - guess[i + 1];
    }
    return out;
  }

  /**
   * {@link moved} of all corners in several sources. What lies far off the camera's plane is not found from there in frames far
   * away: on both sides they are asked outwards, for each corner where the ones before say that it should be by now.
   */
  movedOutwards(frame: number, sources: readonly number[], corners: Float64Array): Map<number, Float64Array> {
    const all = [...Array(corners.length / 2).keys()];
    const out = new Map<number, Float64Array>();
    for (const side of [-1, 1]) {
      const outwards = sources.filter((s) => (s - frame) * side > 0).sort((a, b) => (a - b) * side);
      // How far off the plane each corner moves per frame, by least squares: what is found near by tells little.
      const moving = new Float64Array(corners.length);
      const told = new Float64Array(corners.length).fill(1e-9);
      let last = 0;
      for (const source of outwards) {
        const away = Math.abs(source - frame);
        // Once it is known how they move, the nearer the one before the less far they can be from there: what repeats itself is
        // not taken for it then.
        const levels = last === 0 ? LEVELS : Math.min(LEVELS, 1 + Math.floor(Math.log2(away - last) / 2));
        last = away;
        const expected = moving.map((v, i) => (v / told[i]) * away);
        const moved = this.moved(frame, source, corners, { asked: all, expected }, levels);
        moved.forEach((v, i) => {
          if (Number.isNaN(v)) return;
          moving[i] += v * away;
          told[i] += away * away;
        });
        out.set(source, moved);
      }
    }
    return out;
  }

  private track(frame: number, source: number, points: Float32Array, levels: number): void {
    const [a, b] = [this.pyramids.get(frame), this.pyramids.get(source)];
    const n = points.length / POINT_FLOATS;
    this.kernels.scoped(() => {
      const at = this.kernels.put(points);
      const work = this.kernels.alloc(4096);
      const view = this.kernels.f32(at, points.length);
      for (let level = Math.min(levels, a.length) - 1; level >= 0; level--) {
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

/** The strongest one of each block of cells, then the second one of each, and so on. @param found - The strongest first. */
function sharedOut(found: readonly Found[]): Found[] {
  const blocks = new Map<string, number>();
  const ranked = found.map((corner) => {
    const block = `${Math.floor(corner.x / BLOCK)} ${Math.floor(corner.y / BLOCK)}`;
    const rank = blocks.get(block) ?? 0;
    blocks.set(block, rank + 1);
    return { corner, rank };
  });
  return ranked.sort((a, b) => a.rank - b.rank).map(({ corner }) => corner);
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
