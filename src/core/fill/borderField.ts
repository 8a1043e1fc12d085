import { components } from '../image/components.ts';
import { dilated } from '../image/dilated.ts';
import type { FrameFormat } from '../image/format.ts';
import { membrane, type Grid } from './membrane.ts';
import { planeSize, TILE, type Region } from './region.ts';

/** Known and open px of a region, per luma px, and its tiles that have open ones: 1 = is so. */
export interface Open {
  known: Uint8Array;
  open: Uint8Array;
  tiles: Uint8Array;
}

/** A part of a plane around open tiles, in the plane's samples. */
interface Part extends Grid {
  /** Number of its first sample in the plane, and samples from one row of the plane to the next. */
  first: number;
  stride: number;
  /** The same for its first luma px, and px from one sample to the next. */
  lumaFirst: number;
  lumaStep: number;
  lumaStride: number;
}

/**
 * Adds to the open samples of a plane what is left at their border, sample by sample: a membrane between the differences
 * right beside them (Pérez, Gangnet & Blake 2003), over each group of open tiles by itself.
 *
 * @param samples - To be added to, in the plane's own samples.
 * @param truth - What is known beside the open samples.
 */
export function addBorder(
  region: Region,
  format: FrameFormat,
  plane: number,
  samples: Float32Array,
  truth: Float32Array,
  { known, open, tiles }: Open,
): void {
  for (const group of components(tiles, region.cols, region.rows)) {
    const part = partAround(group, region, format, plane);
    const wanted = ofPart(part, open);
    const domain = dilated(wanted, part.cols, part.rows);
    const free = ofPart(part, known);
    const [sum, weight] = [new Float32Array(wanted.length), new Float32Array(wanted.length)];
    for (let i = 0; i < wanted.length; i++) {
      if (domain[i] === 0 || wanted[i] === 1 || free[i] === 0) continue;
      const at = placeOf(part, i);
      sum[i] = truth[at] - samples[at];
      weight[i] = 1;
    }
    const field = membrane(part, sum, weight, domain);
    for (let i = 0; i < wanted.length; i++) if (wanted[i] === 1) samples[placeOf(part, i)] += field[i];
  }
}

/** The tiles of a group and those beside it. */
function partAround(group: readonly number[], region: Region, format: FrameFormat, plane: number): Part {
  const { cols, rows, rect } = region;
  const [cs, rs] = [group.map((i) => i % cols), group.map((i) => Math.floor(i / cols))];
  const [c0, c1] = [Math.max(0, Math.min(...cs) - 1), Math.min(cols, Math.max(...cs) + 2)];
  const [r0, r1] = [Math.max(0, Math.min(...rs) - 1), Math.min(rows, Math.max(...rs) + 2)];
  const { stepX, stepY } = format.planes[plane];
  const [width, height] = [TILE / stepX, TILE / stepY];
  const stride = planeSize(region, format, plane).width;
  return {
    cols: (c1 - c0) * width,
    rows: (r1 - r0) * height,
    first: r0 * height * stride + c0 * width,
    stride,
    lumaFirst: (r0 * rect.width + c0) * TILE,
    lumaStep: stepX,
    lumaStride: rect.width * stepY,
  };
}

/** Where a sample of a part lies in its plane. */
const placeOf = ({ first, stride, cols }: Part, i: number): number =>
  first + Math.floor(i / cols) * stride + (i % cols);

/** What is said of luma px, of the px at the corner of each sample of a part. */
function ofPart({ cols, rows, lumaFirst, lumaStep, lumaStride }: Part, mask: Uint8Array): Uint8Array {
  const out = new Uint8Array(cols * rows);
  for (let y = 0, i = 0; y < rows; y++) {
    for (let x = 0; x < cols; x++, i++) out[i] = mask[lumaFirst + y * lumaStride + x * lumaStep];
  }
  return out;
}
