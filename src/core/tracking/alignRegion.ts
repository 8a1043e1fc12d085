import type { Kernels } from '../../kernels/index.ts';
import { invert3, jacobian, multiply3, project, type Matrix3 } from '../geometry/homography.ts';
import { RECORD, type CellLevel } from './cells.ts';
import { CellSystem, type Expectation } from './cellSystem.ts';
import { motionMatrix, type Motion, type RegionSpace } from './regionModel.ts';
import type { RegionPicture } from './regionPicture.ts';

/** Cells of one picture in which the region is known, and where that picture stands to the anchor. */
export interface Known {
  cells: CellLevel;
  /** From px of the anchor's frame to px of the known picture's frame. */
  fromAnchor: Matrix3;
  /** How much its cells count: an anchor's fully, those of a frame found by tracking less, since they drift. */
  trust: number;
}

/** What one cell says after alignment. */
export interface CellReading {
  /** Middle of the cell, px of the anchor's frame. */
  x: number;
  y: number;
  /** Correlation with what is known, -1..1; -2 where it could not be measured. */
  likeness: number;
  /** Share of the cell that counts for the motion, 0..1. */
  weight: number;
  area: number;
}

export interface Alignment {
  motion: Motion;
  readings: CellReading[];
  /** Covariance of the solved parameters, k·k, row-major; undefined where the cells do not determine them. */
  covariance: Float64Array | undefined;
  /** Weighted mean square of the cells' errors in units of their noise: 1 where the region moves as the model says. */
  misfit: number;
}

/** Step of the numeric derivative, in the unit of the parameters. */
const EPSILON = 1e-4;
/** Cells farther off than this count little, px of the level, at the start and at the end. */
const LOOSE_PX = 2.5;
const TIGHT_PX = 0.2;
/** A step smaller than this ends the search, px of the level. */
const STILL_PX = 0.008;

/**
 * Finds a region in a picture: robust Gauss-Newton over all its cells at once, each with its own gain and offset, so that
 * a change of light over part of the region, or a part that is hidden, does not pull (inverse compositional alignment,
 * Baker & Matthews 2004; weights after Geman & McClure).
 *
 * @param begin - Where to begin; not changed.
 * @param expected - What is expected, and how freely each parameter may move from there: what the cells cannot tell (because
 *   the rest of the region is hidden) stays as it was expected. Not changed.
 * @param free - Indices of the parameters to solve for.
 */
export function alignRegion(
  kernels: Kernels,
  picture: RegionPicture,
  known: readonly Known[],
  space: RegionSpace,
  begin: Motion,
  expected: Expectation,
  free: readonly number[],
  iterations: number,
): Alignment {
  const motion = begin.slice();
  const system = new CellSystem(
    known.reduce((n, k) => n + k.cells.count, 0),
    free,
  );
  const measure = (strict: boolean): void => {
    system.clear();
    for (const k of known) measureCells(kernels, picture, k, space, motion, free, strict, system);
  };
  let scale = LOOSE_PX;
  for (let round = 0; round < iterations; round++) {
    measure(round >= 2);
    const step = system.solve(scale, expected, motion);
    if (!step) break;
    scale = Math.max(TIGHT_PX, Math.min(scale, 2.5 * system.scatter()));
    free.forEach((p, i) => (motion[p] -= step[i]));
    if (system.moveOf(step) < STILL_PX) break;
  }
  measure(true);
  const rest = system.solve(scale, expected, motion);
  const misfit = rest ? system.misfit(rest) : Infinity;
  return { motion, readings: system.readings(), covariance: rest && system.covariance(), misfit };
}

/** Measures every cell of a known picture under a motion, and adds what it says to the system. */
function measureCells(
  kernels: Kernels,
  picture: RegionPicture,
  { cells, fromAnchor, trust }: Known,
  space: RegionSpace,
  motion: Motion,
  free: readonly number[],
  strict: boolean,
  system: CellSystem,
): void {
  const { origin } = cells;
  const toAnchor = invert3(fromAnchor);
  const toImage = multiply3(motionMatrix(motion, space), toAnchor);
  const step = 2 ** cells.level;
  const records = kernels.f32(cells.records, cells.count * RECORD);
  const image = imageLevel(picture, toImage, records, origin, step);
  const imageStep = 2 ** image;
  for (let k = 0; k < records.length; k += RECORD) {
    const [x, y] = [origin.x + records[k] * step, origin.y + records[k + 1] * step];
    const q = project(toImage, x, y);
    const j = jacobian(toImage, x, y);
    for (let i = 0; i < 4; i++) records[k + 2 + i] = (j[i] * step) / imageStep;
    records[k + 8] = (q.x - picture.x) / imageStep;
    records[k + 9] = (q.y - picture.y) / imageStep;
  }
  const { at, width, height } = picture.levels[image];
  kernels.scoped(() =>
    kernels.run.alignCells(at, width, height, cells.records, cells.data, cells.count, kernels.alloc(1024)),
  );
  const nearby = free.map((p) => nudged(motion, p, space));
  for (let k = 0; k < records.length; k += RECORD) {
    if (!(records[k + 14] > 0)) continue;
    const anchor = project(toAnchor, origin.x + records[k] * step, origin.y + records[k + 1] * step);
    const i = system.add(records, k, anchor, step, trust, strict);
    // Moves of the place in the image, brought back into the known picture: what the cell's right side is counted in.
    const [a, b, c, d] = [records[k + 2], records[k + 3], records[k + 4], records[k + 5]];
    const unit = 1 / ((a * d - b * c) * 2 * EPSILON * imageStep);
    for (let p = 0; p < free.length; p++) {
      const [plus, minus] = nearby[p];
      const to = project(plus, anchor.x, anchor.y);
      const from = project(minus, anchor.x, anchor.y);
      const [dx, dy] = [to.x - from.x, to.y - from.y];
      system.derive(i, p, (d * dx - b * dy) * unit, (a * dy - c * dx) * unit);
    }
  }
}

/** Matrices of the motion with one parameter a little more and a little less. */
export function nudged(motion: Motion, parameter: number, space: RegionSpace): [Matrix3, Matrix3] {
  const [a, b] = [motion.slice(), motion.slice()];
  a[parameter] += EPSILON;
  b[parameter] -= EPSILON;
  return [motionMatrix(a, space), motionMatrix(b, space)];
}
export const NUDGE = 2 * EPSILON;

/** Level of the picture whose sampling is nearest to that of the known cells, where it shows the region larger or smaller. */
function imageLevel(
  picture: RegionPicture,
  m: Matrix3,
  records: Float32Array,
  origin: { x: number; y: number },
  step: number,
): number {
  const mid = RECORD * Math.floor(records.length / RECORD / 2);
  const [a, b, c, d] = jacobian(m, origin.x + records[mid] * step, origin.y + records[mid + 1] * step);
  const level = Math.round(Math.log2(step * Math.sqrt(Math.abs(a * d - b * c))));
  return Math.min(picture.levels.length - 1, Math.max(0, Number.isFinite(level) ? level : 0));
}
