import type { Kernels } from '../../kernels/index.ts';
import { TILE } from './region.ts';

/** A 16-bit plane in kernel memory. */
interface SourcePlane {
  at: number;
  width: number;
  height: number;
}

/**
 * Samples a plane of a frame along a map given at the corners of luma tiles.
 *
 * @param map - (cols + 1)·(rows + 1) places in samples of the plane, interleaved x, y.
 * @param active - cols·rows: which tiles are wanted.
 * @param stepX, stepY - Luma px per sample.
 * @param out - Place of the f32 result, cols·TILE / stepX samples wide.
 */
export function warpPlane(
  kernels: Kernels,
  plane: SourcePlane,
  map: Float32Array,
  cols: number,
  rows: number,
  active: Uint8Array,
  stepX: number,
  stepY: number,
  out: number,
): void {
  const { at, width, height } = plane;
  const stride = (cols * TILE) / stepX;
  // The kernel's tiles are square: a plane that is halved in one direction only is cut into two tiles for each.
  const side = TILE / Math.max(stepX, stepY);
  const [nx, ny] = [TILE / stepX / side, TILE / stepY / side];
  kernels.scoped(() => {
    const fine = nx === 1 && ny === 1 ? map : refineMap(map, cols, rows, nx, ny);
    const flags = nx === 1 && ny === 1 ? active : refineFlags(active, cols, rows, nx, ny);
    const [corners, on] = [kernels.put(fine), kernels.put(flags)];
    kernels.run.warpTiles(at, width, width, height, corners, cols * nx, rows * ny, side, on, out, stride);
  });
}

function refineFlags(active: Uint8Array, cols: number, rows: number, nx: number, ny: number): Uint8Array {
  const wide = cols * nx;
  const out = new Uint8Array(wide * rows * ny);
  for (let i = 0; i < out.length; i++) {
    out[i] = active[Math.floor(Math.floor(i / wide) / ny) * cols + Math.floor((i % wide) / nx)];
  }
  return out;
}

/** Corners of tiles cut into nx by ny, by bilinear interpolation. */
function refineMap(map: Float32Array, cols: number, rows: number, nx: number, ny: number): Float32Array {
  const wide = cols * nx + 1;
  const out = new Float32Array(wide * (rows * ny + 1) * 2);
  for (let r = 0; r <= rows * ny; r++) {
    const row = Math.min(rows - 1, Math.floor(r / ny));
    const v = r / ny - row;
    for (let c = 0; c < wide; c++) {
      const col = Math.min(cols - 1, Math.floor(c / nx));
      const u = c / nx - col;
      for (let k = 0; k < 2; k++) {
        const a = 2 * (row * (cols + 1) + col) + k;
        const b = a + 2 * (cols + 1);
        out[2 * (r * wide + c) + k] =
          (map[a] * (1 - u) + map[a + 2] * u) * (1 - v) + (map[b] * (1 - u) + map[b + 2] * u) * v;
      }
    }
  }
  return out;
}
