import { components } from '../image/components.ts';
import type { FrameFormat } from '../image/format.ts';
import { membrane } from './membrane.ts';
import { planeSize, TILE, type Region } from './region.ts';

/** How far from what is open a known sample tells what the border is like, samples. */
const RING = 1;

/**
 * Adds to the open samples of a plane what is left at their border, sample by sample: a membrane between the differences
 * right beside them (Pérez, Gangnet & Blake 2003), over each group of open tiles by itself.
 *
 * @param samples - To be added to, in the plane's own samples.
 * @param truth - What is known beside the open samples.
 * @param known - 1 per luma px at which the difference of the two counts.
 * @param open - 1 per luma px that is to be added to.
 * @param tiles - 1 for the region's tiles that have open px.
 */
export function addBorder(
  region: Region,
  format: FrameFormat,
  plane: number,
  samples: Float32Array,
  truth: Float32Array,
  { known, open, tiles }: { known: Uint8Array; open: Uint8Array; tiles: Uint8Array },
): void {
  const { stepX, stepY } = format.planes[plane];
  const stride = planeSize(region, format, plane).width;
  const [tw, th] = [TILE / stepX, TILE / stepY];
  for (const group of components(tiles, region.cols, region.rows)) {
    const [cs, rs] = [group.map((i) => i % region.cols), group.map((i) => Math.floor(i / region.cols))];
    const [c0, c1] = [Math.max(0, least(cs) - 1), Math.min(region.cols, most(cs) + 2)];
    const [r0, r1] = [Math.max(0, least(rs) - 1), Math.min(region.rows, most(rs) + 2)];
    const grid = { cols: (c1 - c0) * tw, rows: (r1 - r0) * th };
    const first = r0 * th * stride + c0 * tw;
    const lumaFirst = r0 * TILE * region.rect.width + c0 * TILE;
    const n = grid.cols * grid.rows;
    const [wanted, sum, weight] = [new Uint8Array(n), new Float32Array(n), new Float32Array(n)];
    for (let y = 0, i = 0; y < grid.rows; y++) {
      const luma = lumaFirst + y * stepY * region.rect.width;
      for (let x = 0; x < grid.cols; x++, i++) wanted[i] = open[luma + x * stepX];
    }
    const domain = near(wanted, grid.cols, grid.rows);
    for (let y = 0, i = 0; y < grid.rows; y++) {
      const luma = lumaFirst + y * stepY * region.rect.width;
      for (let x = 0; x < grid.cols; x++, i++) {
        if (domain[i] === 0 || wanted[i] === 1 || known[luma + x * stepX] === 0) continue;
        const at = first + y * stride + x;
        sum[i] = truth[at] - samples[at];
        weight[i] = 1;
      }
    }
    const field = membrane(grid, sum, weight, domain);
    for (let i = 0; i < n; i++) {
      if (wanted[i] === 1) samples[first + Math.floor(i / grid.cols) * stride + (i % grid.cols)] += field[i];
    }
  }
}

const least = (values: number[]): number => values.reduce((a, b) => Math.min(a, b));
const most = (values: number[]): number => values.reduce((a, b) => Math.max(a, b));

/** A mask and what lies within {@link RING} of it along rows and columns. */
function near(mask: Uint8Array, cols: number, rows: number): Uint8Array {
  const widened = (from: Uint8Array, step: number, place: (i: number) => number, count: number): Uint8Array => {
    const out = from.slice();
    for (let i = 0; i < from.length; i++) {
      if (from[i] === 0) continue;
      const at = place(i);
      for (let k = Math.max(-RING, -at); k <= Math.min(RING, count - 1 - at); k++) out[i + k * step] = 1;
    }
    return out;
  };
  const across = widened(mask, 1, (i) => i % cols, cols);
  return widened(across, cols, (i) => Math.floor(i / cols), rows);
}
