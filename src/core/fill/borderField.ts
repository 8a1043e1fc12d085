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
 * @param trust - Per group of tiles, in their order: the share of the samples' own detail that is kept; all of it if missing.
 */
export function addBorder(
  region: Region,
  format: FrameFormat,
  plane: number,
  samples: Float32Array,
  truth: Float32Array,
  { known, open, tiles }: Open,
  trust?: readonly number[],
): void {
  components(tiles, region.cols, region.rows).forEach((group, g) => {
    const part = partAround(group, region, format, plane);
    const wanted = ofPart(part, open);
    const border = borderOf(part, wanted, ofPart(part, known));
    const field = between(part, wanted, border, (at) => truth[at] - samples[at]);
    const kept = trust?.[g] ?? 1;
    const smooth = kept < 1 ? between(part, wanted, border, (at) => samples[at]) : undefined;
    for (let i = 0; i < wanted.length; i++) {
      if (wanted[i] === 0) continue;
      const at = placeOf(part, i);
      samples[at] = field[i] + (smooth ? kept * samples[at] + (1 - kept) * smooth[i] : samples[at]);
    }
  });
}

/** How wide the ring is that is tried, px, and the error that counts as none, squared 8-bit levels. */
const TRIED_PX = 4;
const NO_ERROR = 1;

/**
 * How far the detail of some samples can be believed in each group of open tiles, 0 to 1. A ring of known px around the open
 * ones is made in two ways from what lies beyond it: as the samples go on, and smoothly. What is nearer to the truth there
 * counts for what is within (leave-out validation). Light that has moved since the samples were taken shows so.
 *
 * @param samples - Of luma; `truth` too.
 * @param unit - Samples to an 8-bit level.
 */
export function detailTrust(
  region: Region,
  format: FrameFormat,
  samples: Float32Array,
  truth: Float32Array,
  { known, open, tiles }: Open,
  unit: number,
): number[] {
  return components(tiles, region.cols, region.rows).map((group) => {
    const part = partAround(group, region, format, 0);
    const free = ofPart(part, known);
    let wanted = ofPart(part, open);
    for (let k = 0; k < TRIED_PX; k++) wanted = dilated(wanted, part.cols, part.rows);
    const border = borderOf(part, wanted, free);
    const field = between(part, wanted, border, (at) => truth[at] - samples[at]);
    const smooth = between(part, wanted, border, (at) => samples[at]);
    let [n, detailed, even] = [0, 0, 0];
    for (let i = 0; i < wanted.length; i++) {
      if (wanted[i] === 0 || free[i] === 0) continue;
      const at = placeOf(part, i);
      detailed += (truth[at] - samples[at] - field[i]) ** 2;
      even += (truth[at] - smooth[i] - field[i]) ** 2;
      n++;
    }
    const none = n * NO_ERROR * unit ** 2;
    return n > 0 ? (even + none) / (even + detailed + 2 * none) : 1;
  });
}

/** Known samples right beside the wanted ones. */
function borderOf({ cols, rows }: Part, wanted: Uint8Array, free: Uint8Array): Uint8Array {
  return dilated(wanted, cols, rows).map((near, i) => near & free[i] & (1 - wanted[i]));
}

/** A membrane over the wanted samples between values at their border. */
function between(part: Part, wanted: Uint8Array, border: Uint8Array, valueAt: (at: number) => number): Float32Array {
  const sum = new Float32Array(border.length);
  border.forEach((is, i) => {
    if (is === 1) sum[i] = valueAt(placeOf(part, i));
  });
  const domain = border.map((is, i) => is | wanted[i]);
  return membrane(part, sum, new Float32Array(border), domain);
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
