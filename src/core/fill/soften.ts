import type { Kernels } from '../../kernels/index.ts';
import type { FrameFormat, PlaneFormat } from '../image/format.ts';
import type { Gathered } from './gathered.ts';
import { measurableRim } from './measure.ts';
import type { Region } from './region.ts';
import { lostDetail, rimWindows, windowsOf, type Windows } from './rimWindows.ts';
import { applyTransfer, fitTransfer, gaussianTransfer, wideningOf } from './transfer.ts';

/** Windows of the rim in which detail is compared. */
const WINDOWS = 200;
/** Detail that a frame lacks before its gathered picture is softened, 8-bit levels². */
const LACKING = 2;
/** A kernel that widens by less, px², is as wide as it has to be: the rim's own kernel does the rest. */
const WIDE = 0.5;
/** Kernels that are laid on one another: together a blur with a sigma of three px. */
const MOST_KERNELS = 6;
/** Of a kernel, that must lie on what is seen for its mean to count. */
const LEAST_WEIGHT = 0.25;

/** What makes a picture as soft as a frame: kernels that are laid on its luma one after the other, and by how much they widen, px². */
export interface Softening {
  kernels: readonly Float32Array[];
  across: number;
  down: number;
}

/**
 * What a gathered picture has to be softened by until its frame's own kernel ({@link fitTransfer}) does the rest, where a camera that
 * looks for its focus, or moves, made the frame softer than its sources. That kernel is too small for it; several of them, each fitted
 * to what the one before has made, reach as far as it takes, and blur as the frame does, along a movement too.
 * @returns undefined if the picture is not sharper than its frame.
 */
export function findSoftening(kernels: Kernels, gathered: Gathered, format: FrameFormat): Softening | undefined {
  const { region, own, support, planes } = gathered;
  const { width: w, height: h } = region.rect;
  const unit = 2 ** (format.depth - 8);
  const rim = measurableRim(gathered, format);
  const windows = windowsIn(rim, rimWindows(region, WINDOWS));
  const isSharper = (luma: Float32Array): boolean => lostDetail(own[0], luma, windows) > LACKING * unit ** 2;
  if (!isSharper(planes[0])) return undefined;
  const seen = seenBy(support);
  const found = { kernels: [] as Float32Array[], across: 0, down: 0 };
  for (let [luma] = planes; found.kernels.length < MOST_KERNELS && isSharper(luma);) {
    const kernel = fitTransfer(kernels, luma, own[0], rim, w, h, unit);
    const { across, down } = wideningOf(kernel);
    if (across + down < 2 * WIDE) break;
    found.kernels.push(kernel);
    found.across += Math.max(0, across);
    found.down += Math.max(0, down);
    luma = blurSeen(kernels, luma, seen, region, kernel);
  }
  return found.kernels.length > 0 ? found : undefined;
}

/** Softens a gathered picture. */
export function soften(kernels: Kernels, gathered: Gathered, format: FrameFormat, by: Softening): Gathered {
  const { region, planes, support } = gathered;
  return { ...gathered, planes: softenPlanes(kernels, planes, seenBy(support), region, format, by) };
}

/**
 * Softens the planes of a region: colour by as much as luma. What is not seen is left out (normalised convolution, Knutsson & Westin 1993),
 * and becomes 0.
 * @param seen - 1 for luma px that have samples, 0 for others.
 */
export function softenPlanes(
  kernels: Kernels,
  planes: readonly Float32Array[],
  seen: Float32Array,
  region: Region,
  format: FrameFormat,
  by: Softening,
): Float32Array[] {
  return planes.map((samples, plane) => {
    const step = format.planes[plane];
    const own = plane === 0 ? by.kernels : [gaussianTransfer(by.across / step.stepX ** 2, by.down / step.stepY ** 2)];
    const shown = plane === 0 ? seen : thinned(seen, region, step);
    return own.reduce((s, kernel) => blurSeen(kernels, s, shown, region, kernel, step), samples);
  });
}

const seenBy = (support: Float32Array): Float32Array => support.map((s) => (s > 0 ? 1 : 0));

/** A mask of luma at a plane's size: by the first luma px of each sample, as planes are joined ({@link Completer}). */
function thinned(seen: Float32Array, region: Region, { stepX, stepY }: PlaneFormat): Float32Array {
  const w = region.rect.width / stepX;
  const out = new Float32Array((w * region.rect.height) / stepY);
  return out.map((_, i) => seen[Math.floor(i / w) * stepY * region.rect.width + (i % w) * stepX]);
}

/** Correlates what is seen of a plane with a kernel, weighted by what of it the kernel finds. */
function blurSeen(
  kernels: Kernels,
  samples: Float32Array,
  seen: Float32Array,
  region: Region,
  kernel: Float32Array,
  step?: PlaneFormat,
): Float32Array {
  const apply = (values: Float32Array): Float32Array => applyTransfer(kernels, values, region, kernel, step);
  const sum = apply(samples.map((v, i) => (seen[i] === 1 ? v : 0)));
  const weight = apply(seen);
  return sum.map((v, i) => (seen[i] === 1 ? (weight[i] > LEAST_WEIGHT ? v / weight[i] : samples[i]) : 0));
}

/** The windows of which a rim holds enough. */
function windowsIn(rim: Uint8Array, px: Int32Array): Windows {
  const shown = [...px.keys()].filter((k) => rim[px[k]] === 1);
  return windowsOf(
    shown,
    shown.map((k) => px[k]),
  );
}
