import type { Kernels } from '../../kernels/index.ts';
import type { FrameFormat } from '../image/format.ts';
import { CELL, CELLS_PER_TILE, offsetGrid } from './offsetGrid.ts';
import { membrane } from './membrane.ts';
import { HOLE_TILE, planeSize, RIM_TILE, spansOf, TILE, type Region } from './region.ts';

/** Sums, sums of squares and numbers of differences per cell of the offset grid. */
export interface CellSums {
  sum: Float32Array;
  squares: Float32Array;
  weight: Float32Array;
}

/**
 * Differences of a plane's samples in active tiles, a - b.
 * @param counts - 1 per luma px; a sample counts where the px at its corner does.
 */
export function cellDifferences(
  region: Region,
  format: FrameFormat,
  plane: number,
  a: Float32Array,
  b: Float32Array,
  counts: Uint8Array,
): CellSums {
  const { cols, rows } = offsetGrid(region);
  const { stepX, stepY } = format.planes[plane];
  const { width } = planeSize(region, format, plane);
  const [sum, squares, weight] = [0, 1, 2].map(() => new Float32Array(cols * rows));
  const [cw, ch] = [CELL / stepX, CELL / stepY];
  const spans = spansOf(region, format, plane, RIM_TILE);
  for (let k = 0; k < spans.length; k += 3) {
    const y = spans[k];
    const row = y * stepY * region.rect.width;
    for (let x = spans[k + 1], cell = Math.floor(y / ch) * cols + x / cw; x < spans[k + 2]; cell++) {
      let [d1, d2, n] = [0, 0, 0];
      for (const end = x + cw; x < end; x++) {
        if (counts[row + x * stepX] !== 1) continue;
        const d = a[y * width + x] - b[y * width + x];
        d1 += d;
        d2 += d * d;
        n++;
      }
      sum[cell] += d1;
      squares[cell] += d2;
      weight[cell] += n;
    }
  }
  return { sum, squares, weight };
}

/** Numbers of the cells of the offset grid that lie in active tiles, tile by tile. */
export function activeCells({ cols, active }: Region): Int32Array {
  const out = new Int32Array(active.length * CELLS_PER_TILE * CELLS_PER_TILE);
  const width = cols * CELLS_PER_TILE;
  let n = 0;
  for (let tile = 0; tile < active.length; tile++) {
    if (active[tile] === 0) continue;
    const first = (Math.floor(tile / cols) * width + (tile % cols)) * CELLS_PER_TILE;
    for (let b = 0; b < CELLS_PER_TILE; b++) for (let a = 0; a < CELLS_PER_TILE; a++) out[n++] = first + b * width + a;
  }
  return out.subarray(0, n);
}

const knownDomains = new WeakMap<Uint8Array, Uint8Array>();

/** 1 for the cells of the offset grid that lie in active tiles: the same for all planes. */
function domainOf(region: Region): Uint8Array {
  const known = knownDomains.get(region.active);
  if (known) return known;
  const { cols, rows } = offsetGrid(region);
  const domain = new Uint8Array(cols * rows);
  for (const cell of activeCells(region)) domain[cell] = 1;
  knownDomains.set(region.active, domain);
  return domain;
}

/** A membrane over the active tiles of a region. @param sums - Per cell of the offset grid. */
export function fieldOf(region: Region, { sum, weight }: Pick<CellSums, 'sum' | 'weight'>): Float32Array {
  return membrane(offsetGrid(region), sum, weight, domainOf(region));
}

/** Samples of a plane plus a field on the offset grid, in tiles of at least a kind. */
export function plusField(
  kernels: Kernels,
  samples: Float32Array,
  region: Region,
  { planes }: FrameFormat,
  plane: number,
  field: Float32Array,
  kind = HOLE_TILE,
): Float32Array {
  const { stepX, stepY } = planes[plane];
  const { cols, rows, rect } = region;
  const grid = offsetGrid(region);
  return kernels.scoped(() => {
    const [at, values, active] = [kernels.put(samples), kernels.put(field), kernels.put(region.active)];
    const tile = [TILE / stepX, TILE / stepY, CELLS_PER_TILE] as const;
    const width = rect.width / stepX;
    kernels.run.addField(at, width, values, grid.cols, grid.rows, active, kind, cols, rows, ...tile);
    return kernels.f32(at, samples.length).slice();
  });
}
