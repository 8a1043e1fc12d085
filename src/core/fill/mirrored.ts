import type { Kernels } from '../../kernels/index.ts';
import type { FrameFormat } from '../image/format.ts';
import { betweenCells } from '../image/betweenCells.ts';
import type { MatteCells } from '../image/matteCells.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import type { Covered } from '../reveal/visibility.ts';
import type { Gathered } from './gathered.ts';
import { CELL, offsetGrid } from './offsetGrid.ts';
import { mirroredAt, weightOfBefore } from './mirroredTime.ts';
import { planeSize, TILE, type Region } from './region.ts';
import { planePart, type SourceFrame, type SourceFrames } from './sourceFrames.ts';

/** Room around what is sampled, px: for the cubic's support, and for thin rows of it. */
export const MIRRORED_MARGIN = 12;

/** Px of a region that are taken from one frame, and where they lie in it. */
export interface MirroredView {
  frame: number;
  /** Indices row·width + column in the region. */
  px: Int32Array;
  /** Interleaved x, y, px of that frame. */
  places: Float32Array;
  /** How much each counts, 0..1. */
  weights: Float32Array;
}

/**
 * From which frames a restless place of a hole is taken: as if time were mirrored at the moment at which it is hidden, and again where it comes back. What moves by
 * itself there then goes on from what was seen last, meets what is seen next, moves as fast as it did, and along the border is
 * as the frame itself shows it. Half way the one gives way to the other.
 *
 * @param restless - How restless the background is, per cell of the offset grid, 0..1.
 */
export function mirroredViews(
  region: Region,
  restless: Float32Array,
  covered: Covered,
  cells: MatteCells,
  motion: CameraMotion,
): MirroredView[] {
  const lists = new Map<number, { px: number[]; weights: number[] }>();
  const { frame } = region;
  eachRestless(region, restless, (i, x, y) => {
    const [before, after] = [mirroredAt(covered.before, cells, x, y), mirroredAt(covered.after, cells, x, y)];
    const weight = weightOfBefore(before, after);
    const take = (source: number, w: number): void => {
      if (w <= 0) return;
      let list = lists.get(source);
      if (!list) lists.set(source, (list = { px: [], weights: [] }));
      list.px.push(i);
      list.weights.push(w);
    };
    // Between two frames both are taken: bands of one frame each would end in steps.
    const between = (off: number, direction: number, w: number): void => {
      const whole = Math.floor(off);
      take(frame + direction * whole, w * (1 - off + whole));
      take(frame + direction * (whole + 1), w * (off - whole));
    };
    if (before) between(before.off, -1, weight);
    if (after) between(after.off, 1, 1 - weight);
  });
  const { x: left, y: top, width } = region.rect;
  return [...lists]
    .sort(([a], [b]) => a - b)
    .map(([source, { px, weights }]) => {
      const places = Float32Array.from(px.flatMap((i) => [left + (i % width), top + Math.floor(i / width)]));
      motion.map(frame, source, places);
      return { frame: source, px: Int32Array.from(px), places, weights: Float32Array.from(weights) };
    });
}

/**
 * Lays what mirrored views show over what was fused, as far as the background is restless. A mean of two pictures of what moves is
 * flatter than either: their differences from the fused picture are added so that their contrast stays (Heitz & Neyret
 * 2018, "High-performance by-example noise using a histogram-preserving blending operator"), within what the two show.
 */
export function layMirrored(
  kernels: Kernels,
  out: Gathered,
  views: readonly MirroredView[],
  sources: SourceFrames,
  format: FrameFormat,
): void {
  const { region, restless } = out;
  const n = out.support.length;
  const [before, after] = [new Float32Array(n), new Float32Array(n)];
  const shown = out.planes.map(({ length }) => ({
    sum: new Float32Array(length),
    least: new Float32Array(length).fill(Infinity),
    most: new Float32Array(length).fill(-Infinity),
  }));
  for (const view of views) {
    const source = sources.get(view.frame);
    const usable = usableOf(kernels, view, source);
    const weights = view.frame < region.frame ? before : after;
    for (const k of usable) weights[view.px[k]] += view.weights[k];
    shown.forEach((to, plane) => addPlane(kernels, { region, format, plane }, view, source, usable, to));
  }
  const { width } = region.rect;
  out.planes.forEach((fused, plane) => {
    const { stepX, stepY } = format.planes[plane];
    const size = planeSize(region, format, plane);
    eachRestless(region, restless!.cells, (at, _x, _y, strength) => {
      const [x, y] = [at % width, Math.floor(at / width)];
      const weight = before[at] + after[at];
      if (weight === 0 || x % stepX !== 0 || y % stepY !== 0) return;
      const i = (y / stepY) * size.width + x / stepX;
      const { sum, least, most } = shown[plane];
      if (out.support[at] === 0) fused[i] = sum[i] / weight;
      else {
        const lively = fused[i] + (sum[i] - weight * fused[i]) / Math.hypot(before[at], after[at]);
        fused[i] += strength * (Math.max(least[i], Math.min(most[i], lively)) - fused[i]);
      }
    });
  });
  eachRestless(region, restless!.cells, (at, _x, _y, strength) => {
    // The grain of one frame is in it.
    if (before[at] + after[at] > 0 && (strength > 0.5 || out.support[at] === 0)) out.support[at] = 1;
  });
}

/** Numbers of a view's px that its frame shows. */
function usableOf(kernels: Kernels, { places, px }: MirroredView, { rect, blocked: at }: SourceFrame): number[] {
  const blocked = kernels.u8(at, rect.width * rect.height);
  const out: number[] = [];
  for (let k = 0; k < px.length; k++) {
    const [x, y] = [Math.round(places[2 * k] - rect.x), Math.round(places[2 * k + 1] - rect.y)];
    if (x < 1 || y < 1 || x >= rect.width - 2 || y >= rect.height - 2) continue;
    if (blocked[y * rect.width + x] === 0) out.push(k);
  }
  return out;
}

/** What views show of the samples of a plane: the sum by their weights, and its limits. */
interface Shown {
  sum: Float32Array;
  least: Float32Array;
  most: Float32Array;
}

interface PlaneOf {
  region: Region;
  format: FrameFormat;
  plane: number;
}

/** Adds what a frame shows of some px of a view, by their weights, to the samples of a plane. */
function addPlane(
  kernels: Kernels,
  { region, format, plane }: PlaneOf,
  { px, places, weights }: MirroredView,
  source: SourceFrame,
  usable: readonly number[],
  { sum, least, most }: Shown,
): void {
  const { width } = region.rect;
  const { stepX, stepY } = format.planes[plane];
  const size = planeSize(region, format, plane);
  const own = usable.filter((k) => (px[k] % width) % stepX === 0 && Math.floor(px[k] / width) % stepY === 0);
  const local = Float32Array.from(
    own.flatMap((k) => [(places[2 * k] - source.rect.x) / stepX, (places[2 * k + 1] - source.rect.y) / stepY]),
  );
  kernels.scoped(() => {
    const out = kernels.alloc(Math.max(4, own.length * 4));
    const { width: w, height: h } = planePart(source.rect, format.planes[plane]);
    kernels.run.warpPoints(source.planes[plane], w, w, h, kernels.put(local), own.length, out);
    const values = kernels.f32(out, own.length);
    own.forEach((k, j) => {
      const [x, y] = [px[k] % width, Math.floor(px[k] / width)];
      const i = (y / stepY) * size.width + x / stepX;
      sum[i] += weights[k] * values[j];
      least[i] = Math.min(least[i], values[j]);
      most[i] = Math.max(most[i], values[j]);
    });
  });
}

/** Calls `use` with each px of active tiles that is not known and somewhat restless: its index, its place in the frame and how much it is, 0..1. */
function eachRestless(
  region: Region,
  cells: Float32Array,
  use: (i: number, x: number, y: number, strength: number) => void,
): void {
  const { rect, cols, active, known } = region;
  const grid = offsetGrid(region);
  active.forEach((a, tile) => {
    if (a === 0) return;
    const [x0, y0] = [(tile % cols) * TILE, Math.floor(tile / cols) * TILE];
    for (let y = y0; y < y0 + TILE; y++) {
      for (let x = x0; x < x0 + TILE; x++) {
        const i = y * rect.width + x;
        if (known[i] === 1) continue;
        const strength = betweenCells(x, y, CELL, grid, (cell) => cells[cell]);
        if (strength > 0) use(i, rect.x + x, rect.y + y, strength);
      }
    }
  });
}

/** Brings luma back to what it was where the background is restless, as far as it is. */
export function keepRestless(region: Region, cells: Float32Array, before: Float32Array, luma: Float32Array): void {
  eachRestless(region, cells, (i, _x, _y, strength) => (luma[i] += strength * (before[i] - luma[i])));
}
