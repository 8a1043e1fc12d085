import type { Kernels } from '../../kernels/index.ts';
import { median } from '../geometry/linear.ts';
import { shorth } from '../geometry/shorth.ts';
import { components } from '../image/components.ts';
import { dilated } from '../image/dilated.ts';
import type { FrameFormat } from '../image/format.ts';
import { bytesOf } from '../image/mapped.ts';
import type { Gathered } from './gathered.ts';
import type { Grid } from './membrane.ts';
import { CELL, offsetGrid } from './offsetGrid.ts';
import { planeSize, RIM_TILE, runsOf, spansOf, type Region } from './region.ts';
import { cellDifferences, fieldOf, plusField, type CellSums } from './smoothField.ts';

/** Cells side by side in other light that are believed, and how far each may be from those around it, as a share of the change (both rms). */
const LEAST_CELLS = 16;
const ROUGH = 0.25;
/** Px that tell of a cell. */
const LEAST_PX = 16;
/** Cells to each side that are taken together to tell how a cell's texture goes with the frame's. */
const POOLED = 2;
/** Texture goes with the frame's from this correlation on. */
const ALIKE = 0.6;
/** Light changes by at most so much from a cell to the next, 8-bit levels or as a logarithm: shadows' edges are steeper, and so are things. */
const STEP = 6;
const STEP_TIMES = 0.15;
/** How far on the next cell may be: one between them may show something else. */
const LEAP = 2;
/** So many of these steps are steep. */
const STEEP = 1.5;
/** Share of light that is left at least. */
const DARKEST = 0.02;
/** Where light is the same, cells differ by less, 8-bit levels. */
const SAME = 4;
/** Pull of a cell's contrast to that of the picture, as variance at 8 bit. */
const RIDGE = 2;
/** Black, 8-bit levels: where it is another, what is left over is even, and the border's offsets take it. */
const BLACK = 16;

/** A gathered picture in the light that its frame has, and the cells of the rim that told of it. */
export interface Relit {
  gathered: Gathered;
  /** 1 for cells of the offset grid that are in other light than the rest of the rim. */
  lit: Uint8Array;
}

/**
 * Brings a gathered picture into light that has changed in a part of it alone: headlights that pass over a wall, a cloud's edge, a lamp that
 * is switched on. What lies on the border in other light keeps its texture, and light changes little from one place to the next: a passer-by
 * has neither. Light multiplies, so contrast changes with it, and an offset will not do (Horn 1974, "Determining lightness from an image").
 *
 * @param rim - 1 for the luma px on which frame and picture are known.
 * @param strength - Of the light match, 0..1.
 * @returns undefined if light has changed nowhere, or everywhere alike.
 */
export function relight(
  kernels: Kernels,
  gathered: Gathered,
  rim: Uint8Array,
  format: FrameFormat,
  strength: number,
): Relit | undefined {
  const { region, planes, own } = gathered;
  const unit = 2 ** (format.depth - 8);
  const differences = cellDifferences(region, format, 0, own[0], planes[0], rim);
  const far = farCells(differences, unit);
  if (far.reduce((n, v) => n + v, 0) < LEAST_CELLS) return undefined;
  const cells = pooledCells(region, format, planes[0], own[0], rim);
  const grid = offsetGrid(region);
  const light = lightOf(differences, cells.level, unit);
  const lit = believed(grid, litCells(grid, far, light, cells, unit), light);
  if (!lit.includes(1)) return undefined;
  const known = [...far.keys()].filter((c) => differences.weight[c] > 0 && (far[c] === 0 || lit[c] === 1));
  const field = gainField(region, known, light, differences.weight, cells, unit);
  for (let i = 0; i < field.length; i++) field[i] *= strength;
  return { gathered: { ...gathered, planes: scaledBy(kernels, planes, field, region, format) }, lit };
}

/** 1 for cells that differ by more than most of them do. */
function farCells({ sum, weight }: CellSums, unit: number): Uint8Array {
  const added = [...weight.keys()].flatMap((c) => (weight[c] > 0 ? sum[c] / weight[c] : []));
  const { middle } = shorth(added);
  return bytesOf(weight, (w, c) => (w > 0 && Math.abs(sum[c] / w - middle) > SAME * unit ? 1 : 0));
}

/** How texture of the picture and of the frame go together around each cell: variance of each, and covariance, times the number of px. */
interface Textures {
  source: Float64Array;
  own: Float64Array;
  both: Float64Array;
  px: Float64Array;
  /** Mean of the picture within each cell. */
  level: Float64Array;
}

function pooledCells(region: Region, format: FrameFormat, a: Float32Array, b: Float32Array, rim: Uint8Array): Textures {
  const within = texturesOf(region, format, a, b, rim);
  const pool = (values: Float64Array): Float64Array => pooled(values, offsetGrid(region));
  return {
    source: pool(within.source),
    own: pool(within.own),
    both: pool(within.both),
    px: pool(within.px),
    level: within.level,
  };
}

/** The same within each cell alone. */
function texturesOf(region: Region, format: FrameFormat, a: Float32Array, b: Float32Array, rim: Uint8Array): Textures {
  const { cols, rows } = offsetGrid(region);
  const w = region.rect.width;
  const [sa, sb, saa, sbb, sab, px] = Array.from({ length: 6 }, () => new Float64Array(cols * rows));
  const runs = runsOf(region, format, 0, RIM_TILE);
  for (let k = 0; k < runs.length; k += 2) {
    for (let i = runs[k]; i < runs[k + 1]; i++) {
      if (rim[i] === 0) continue;
      const cell = Math.floor(Math.floor(i / w) / CELL) * cols + Math.floor((i % w) / CELL);
      sa[cell] += a[i];
      sb[cell] += b[i];
      saa[cell] += a[i] * a[i];
      sbb[cell] += b[i] * b[i];
      sab[cell] += a[i] * b[i];
      px[cell]++;
    }
  }
  const within = (square: Float64Array, x: Float64Array, y: Float64Array): Float64Array =>
    square.map((v, c) => (px[c] >= LEAST_PX ? v - (x[c] * y[c]) / px[c] : 0));
  return {
    source: within(saa, sa, sa),
    own: within(sbb, sb, sb),
    both: within(sab, sa, sb),
    px: px.map((n) => (n >= LEAST_PX ? n : 0)),
    level: sa.map((v, c) => v / px[c]),
  };
}

/** Sums over the cells around each. */
function pooled(values: ArrayLike<number>, grid: Grid): Float64Array {
  return Float64Array.from(values, (_, i) => around(i, grid, POOLED).reduce((sum, c) => sum + values[c], 0));
}

/** How many cells two cells are apart. */
function distance(a: number, b: number, { cols }: Grid): number {
  return Math.max(Math.abs((a % cols) - (b % cols)), Math.abs(Math.floor(a / cols) - Math.floor(b / cols)));
}

/** A cell and those up to so many cells away. */
function around(i: number, { cols, rows }: Grid, reach: number): number[] {
  const [x, y] = [i % cols, Math.floor(i / cols)];
  const out: number[] = [];
  for (let b = Math.max(0, y - reach); b <= Math.min(rows - 1, y + reach); b++) {
    for (let a = Math.max(0, x - reach); a <= Math.min(cols - 1, x + reach); a++) out.push(b * cols + a);
  }
  return out;
}

/** How much lighter the frame is than the picture in each cell, NaN where that is not known. */
interface Light {
  /** Sample units: in log light adds. */
  added: Float64Array;
  /** As a logarithm: elsewhere it multiplies, what is bright and what is dark alike. */
  times: Float64Array;
}

function lightOf({ sum, weight }: CellSums, level: Float64Array, unit: number): Light {
  const added = Float64Array.from(sum, (v, c) => (weight[c] > 0 ? v / weight[c] : NaN));
  const times = added.map((v, c) => Math.log(Math.max(DARKEST, 1 + v / Math.max(unit, level[c] - BLACK * unit))));
  return { added, times };
}

/**
 * Cells in other light: texture as in the frame, from one to the next no more than light changes, beginning where it has not, and nowhere
 * beside one from which it would have to change steeply. (Along the edge of a shadow, which is aslant to the cells, it changes little.)
 */
function litCells(
  grid: Grid,
  far: Uint8Array,
  light: Light,
  { source, own, both }: Textures,
  unit: number,
): Uint8Array {
  const { added, times } = light;
  const isAlike = (c: number): boolean => both[c] > ALIKE * Math.sqrt(source[c] * own[c]);
  const isNear = (a: number, b: number, steps = 1): boolean =>
    Math.abs(added[a] - added[b]) < steps * STEP * unit || Math.abs(times[a] - times[b]) < steps * STEP_TIMES;
  const beside = (c: number): number[] => around(c, grid, 1).filter((n) => !Number.isNaN(added[n]));
  const known = [...far.keys()].filter((c) => !Number.isNaN(added[c]));
  const open = new Uint8Array(far.length);
  for (const c of known) if (far[c] === 1 && isAlike(c) && beside(c).every((n) => isNear(n, c, STEEP))) open[c] = 1;
  const lit = new Uint8Array(far.length);
  // Grows while it is gone through.
  const reached = known.filter((c) => far[c] === 0);
  for (const c of reached) {
    for (const n of around(c, grid, LEAP)) {
      if (open[n] === 0 || lit[n] === 1 || !isNear(c, n, distance(c, n, grid))) continue;
      lit[n] = 1;
      reached.push(n);
    }
  }
  return lit;
}

/** Groups of cells that are large and even enough: what lies a little beside its place differs too, here by more and there by less. */
function believed(grid: Grid, lit: Uint8Array, { added, times }: Light): Uint8Array {
  const out = new Uint8Array(lit.length);
  for (const all of components(dilated(lit, grid.cols, grid.rows), grid.cols, grid.rows)) {
    const group = all.filter((c) => lit[c] === 1);
    if (group.length < LEAST_CELLS) continue;
    const rough = Math.min(roughness(grid, group, added), roughness(grid, group, times));
    if (rough < ROUGH) for (const c of group) out[c] = 1;
  }
  return out;
}

/** How far cells of a group are from the mean of those around each, as a share of what they are (both rms). */
function roughness(grid: Grid, group: readonly number[], values: Float64Array): number {
  const own = new Set(group);
  const squares = (of: (c: number) => number): number => group.reduce((all, c) => all + of(c) ** 2, 0);
  const besides = (c: number): number => {
    const others = around(c, grid, POOLED).filter((n) => n !== c && own.has(n));
    return others.reduce((sum, n) => sum + values[n], 0) / Math.max(1, others.length);
  };
  return Math.sqrt(squares((c) => values[c] - besides(c)) / squares((c) => values[c]));
}

/**
 * By how much contrasts are greater than where the light is the same, less 1, over all of the region: by as much as the light is at most.
 * @param known - Cells that tell.
 */
function gainField(
  region: Region,
  known: readonly number[],
  { added, times }: Light,
  weight: Float32Array,
  { source, both, px }: Textures,
  unit: number,
): Float32Array {
  const ridge = (c: number): number => RIDGE * unit ** 2 * Math.max(1, px[c]);
  const gain = (c: number): number => (both[c] + ridge(c)) / (source[c] + ridge(c));
  const same = known.filter((c) => Math.abs(added[c]) < SAME * unit);
  const usual = same.length > 0 ? median(same.map(gain)) : 1;
  const sums = new Float32Array(weight.length);
  const weights = new Float32Array(weight.length);
  for (const c of known) {
    const light = Math.exp(times[c]);
    weights[c] = weight[c];
    sums[c] = weight[c] * (Math.min(Math.max(1, light), Math.max(Math.min(1, light), gain(c) / usual)) - 1);
  }
  return fieldOf(region, { sum: sums, weight: weights });
}

/** Planes with their distance from black, colours with theirs from grey, times one more than a field. */
function scaledBy(
  kernels: Kernels,
  planes: readonly Float32Array[],
  field: Float32Array,
  region: Region,
  format: FrameFormat,
): Float32Array[] {
  const unit = 2 ** (format.depth - 8);
  return planes.map((samples, plane) => {
    const zero = plane === 0 || format.rgb ? BLACK * unit : 128 * unit;
    const by = plusField(kernels, new Float32Array(samples.length), region, format, plane, field, RIM_TILE);
    const out = samples.slice();
    const { width } = planeSize(region, format, plane);
    const spans = spansOf(region, format, plane, RIM_TILE);
    for (let k = 0; k < spans.length; k += 3) {
      const row = spans[k] * width;
      for (let i = row + spans[k + 1]; i < row + spans[k + 2]; i++) out[i] += by[i] * (samples[i] - zero);
    }
    return out;
  });
}
