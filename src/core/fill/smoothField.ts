import type { Kernels } from '../../kernels/index.ts';
import type { FrameFormat } from '../image/format.ts';
import { CELLS_PER_TILE, offsetGrid } from './measure.ts';
import { HOLE_TILE, planeSize, TILE, type Region } from './region.ts';

/** Sums and numbers of the values of a plane's samples per cell of the offset grid. */
export interface CellSums {
  sum: Float32Array;
  weight: Float32Array;
}

/** @param value - Of sample i of the plane, with the luma px at its corner; undefined = left out. */
export function cellSums(
  region: Region,
  format: FrameFormat,
  plane: number,
  value: (i: number, luma: number) => number | undefined,
): CellSums {
  const grid = offsetGrid(region);
  const { stepX, stepY } = format.planes[plane];
  const size = planeSize(region, format, plane);
  const sum = new Float32Array(grid.cols * grid.rows);
  const weight = new Float32Array(grid.cols * grid.rows);
  const [cw, ch] = [size.width / grid.cols, size.height / grid.rows];
  for (let y = 0, i = 0; y < size.height; y++) {
    const row = y * stepY * region.rect.width;
    for (let x = 0; x < size.width; x++, i++) {
      const v = value(i, row + x * stepX);
      if (v === undefined) continue;
      const c = Math.floor(y / ch) * grid.cols + Math.floor(x / cw);
      sum[c] += v;
      weight[c]++;
    }
  }
  return { sum, weight };
}

/** Samples of a plane plus a field on the offset grid, in the tiles of the hole. */
export function plusField(
  kernels: Kernels,
  samples: Float32Array,
  region: Region,
  { planes }: FrameFormat,
  plane: number,
  field: Float32Array,
): Float32Array {
  const { stepX, stepY } = planes[plane];
  const { cols, rows, rect } = region;
  const grid = offsetGrid(region);
  return kernels.scoped(() => {
    const [at, values, active] = [kernels.put(samples), kernels.put(field), kernels.put(region.active)];
    const tile = [TILE / stepX, TILE / stepY, CELLS_PER_TILE] as const;
    const width = rect.width / stepX;
    kernels.run.addField(at, width, values, grid.cols, grid.rows, active, HOLE_TILE, cols, rows, ...tile);
    return kernels.f32(at, samples.length).slice();
  });
}
