import type { Kernels } from '../../kernels/index.ts';
import { maxSample, type FrameFormat } from '../image/format.ts';
import { MEASURABLE_SUPPORT, type Gathered } from './gathered.ts';
import type { FleckTally } from './fleckTally.ts';
import { measureGrain, type Likeness } from './grain.ts';
import { CELL, offsetGrid } from './offsetGrid.ts';
import { cellDifferences } from './smoothField.ts';
import { strangeCells } from './strangeCells.ts';
import { planeSize, RIM_TILE, runsOf, spansOf, type Region } from './region.ts';
import { isTouched } from './touched.ts';
import type { Softening } from './soften.ts';
import { applyTransfer, fitTransfer, identityTransfer } from './transfer.ts';

/** What a frame's rim tells about its gathered picture. */
export interface RimMeasure {
  /** What the gathered picture has been softened by already, since the frame is much softer than what was gathered. */
  softening?: Softening;
  transfer: Float32Array;
  /** Per plane: sum and number of (frame − gathered) per cell of the offset grid. */
  offsets: { sum: Float32Array; weight: Float32Array }[];
  /** Per plane: blocks of {@link measureGrain}. */
  grain: Float32Array[];
  /** Somebody is seen beside the hole. */
  touched: boolean;
  /** How alike the grain of this frame and of the one before are. */
  likeness: Likeness;
  /** What passes before everything there; only of some frames. */
  flecks?: FleckTally;
}

/** The frame's difference to its estimate on the rim, kept to compare it with the next frame's. */
export interface RimResidual {
  region: Region;
  values: Float32Array;
  /** 1 where both are known, and nothing strange is seen. */
  rim: Uint8Array;
  /** 1 where both are known. */
  seen: Uint8Array;
}

/**
 * Compares the gathered picture with the frame on the rim, where both are known.
 * @param fine - Also measure grain; a draft goes without.
 * @param lit - 1 for cells of the offset grid that are in other light ({@link relight}).
 * @param sharpens - Also fit sharpness, which a rim of few px does not tell.
 */
export function measureRim(
  kernels: Kernels,
  gathered: Gathered,
  format: FrameFormat,
  fine: boolean,
  lit?: Uint8Array,
  sharpens = fine,
): { measure: Omit<RimMeasure, 'likeness' | 'softening' | 'flecks'>; residual: RimResidual } {
  const { region, planes, own } = gathered;
  const unit = 2 ** (format.depth - 8);
  const { width: w, height: h } = region.rect;
  const rim = measurableRim(gathered, format);
  const seen = rim.slice();
  const fit = (): { transfer: Float32Array; estimates: Float32Array[] } => {
    const transfer = sharpens ? fitTransfer(kernels, planes[0], own[0], rim, w, h, unit) : identityTransfer();
    return { transfer, estimates: [applyTransfer(kernels, planes[0], region, transfer), ...planes.slice(1)] };
  };
  let fitted = fit();
  const touched = isTouched(gathered, rim, format);
  const strange = strangersOn(gathered, fitted.estimates, rim, format, lit);
  if (strange.includes(1)) {
    leaveOut(rim, region, strange);
    fitted = fit();
  }
  const { transfer, estimates } = fitted;
  const full = maxSample(format);
  const offsets: RimMeasure['offsets'] = [];
  const grain: Float32Array[] = [];
  let luma: Float32Array | undefined;
  let small: Uint8Array | undefined;
  estimates.forEach((estimate, plane) => {
    const { stepX, stepY } = format.planes[plane];
    const size = planeSize(region, format, plane);
    // Both chroma planes have one size.
    const spans = spansOf(region, format, plane, RIM_TILE);
    const mask = plane === 0 ? rim : (small ??= shrinkMask(rim, w, size.width, size.height, stepX, stepY, spans));
    const residual = difference(own[plane], estimate, runsOf(region, format, plane, RIM_TILE));
    luma ??= residual;
    const { sum, weight } = cellDifferences(region, format, plane, own[plane], estimate, rim);
    offsets.push({ sum, weight });
    const level = (i: number): number => {
      const x = i % size.width;
      return planes[0][((i - x) / size.width) * stepY * w + x * stepX] / full;
    };
    if (fine) grain.push(measureGrain(residual, estimate, level, mask, size.width, size.height));
  });
  return { measure: { transfer, offsets, grain, touched }, residual: { region, values: luma!, rim, seen } };
}

/** 1 for the px at which both the frame and the gathered picture are known, and should be the same. */
export function measurableRim({ region, support, restless }: Gathered, format: FrameFormat): Uint8Array {
  const { known } = region;
  const rim = new Uint8Array(support.length);
  const runs = runsOf(region, format, 0, RIM_TILE);
  for (let k = 0; k < runs.length; k += 2) {
    for (let i = runs[k]; i < runs[k + 1]; i++) rim[i] = known[i] === 1 && support[i] >= MEASURABLE_SUPPORT ? 1 : 0;
  }
  if (restless) leaveOut(rim, region, restless.cells);
  return rim;
}

/**
 * 1 for the cells of the rim in which something else is seen than the background: it tells nothing of light and grain. Some things
 * differ from what is behind them in their colour alone, so one plane is enough.
 */
function strangersOn(
  { region, own }: Gathered,
  estimates: readonly Float32Array[],
  rim: Uint8Array,
  format: FrameFormat,
  lit: Uint8Array | undefined,
): Uint8Array {
  const unit = 2 ** (format.depth - 8);
  const [out, ...others] = estimates.map((estimate, plane) =>
    strangeCells(offsetGrid(region), cellDifferences(region, format, plane, own[plane], estimate, rim), unit, lit),
  );
  for (const other of others) for (let i = 0; i < out.length; i++) out[i] |= other[i];
  return out;
}

/** Sets the px of marked cells to 0. */
function leaveOut(rim: Uint8Array, region: Region, cells: Float32Array | Uint8Array): void {
  const { cols } = offsetGrid(region);
  const { width } = region.rect;
  cells.forEach((marked, cell) => {
    if (marked === 0) return;
    const first = Math.floor(cell / cols) * CELL * width + (cell % cols) * CELL;
    for (let b = 0; b < CELL; b++) rim.fill(0, first + b * width, first + b * width + CELL);
  });
}

/** a - b on runs of samples, 0 elsewhere. */
function difference(a: Float32Array, b: Float32Array, runs: Int32Array): Float32Array {
  const out = new Float32Array(a.length);
  for (let k = 0; k < runs.length; k += 2) for (let i = runs[k]; i < runs[k + 1]; i++) out[i] = a[i] - b[i];
  return out;
}

/** Luma mask at a plane's size, on runs of samples: one counts where all its luma px do. */
function shrinkMask(
  mask: Uint8Array,
  lumaWidth: number,
  w: number,
  h: number,
  stepX: number,
  stepY: number,
  spans: Int32Array,
): Uint8Array {
  const out = new Uint8Array(w * h);
  for (let k = 0; k < spans.length; k += 3) {
    const y = spans[k];
    for (let x = spans[k + 1]; x < spans[k + 2]; x++) {
      let all = 1;
      for (let b = 0; b < stepY; b++) {
        for (let a = 0; a < stepX; a++) all &= mask[(y * stepY + b) * lumaWidth + x * stepX + a];
      }
      out[y * w + x] = all;
    }
  }
  return out;
}
