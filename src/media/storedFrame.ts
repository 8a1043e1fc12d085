import type { Gathered } from '../core/fill/gathered.ts';
import { planeSize, RIM_TILE, runsOf, type Region } from '../core/fill/region.ts';
import type { FrameFormat } from '../core/image/format.ts';
import type { Kernels } from '../kernels/index.ts';

/** A gathered frame as it is kept between gathering and finishing: the samples of its active tiles, run after run. */
export interface StoredFrame {
  frame: number;
  /** Fused samples scaled to 16 bit. */
  planes: Uint16Array[];
  /** Support in sixteenths, at most 255. */
  support: Uint8Array;
  /** How restless its background is, per cell of the offset grid, 0..1. */
  restless?: Float32Array;
}

export function packFrame(
  kernels: Kernels,
  { region, planes, support, restless }: Gathered,
  format: FrameFormat,
): StoredFrame {
  const scale = 2 ** (16 - format.depth);
  const packed = planes.map((values, plane) =>
    kernels.scoped(() => {
      const whole = kernels.alloc(values.length * 2);
      kernels.run.roundSamples(kernels.put(values), values.length, scale, 65535, whole);
      return packRuns(kernels.u16(whole, values.length), runsOf(region, format, plane, RIM_TILE));
    }),
  );
  return {
    frame: region.frame,
    planes: packed,
    support: packSupport(support, runsOf(region, format, 0, RIM_TILE)),
    ...(restless && { restless: restless.cells }),
  };
}

function packRuns(values: Uint16Array, runs: Int32Array): Uint16Array {
  const out = new Uint16Array(lengthOf(runs));
  for (let k = 0, n = 0; k < runs.length; n += runs[k + 1] - runs[k], k += 2) {
    out.set(values.subarray(runs[k], runs[k + 1]), n);
  }
  return out;
}

function packSupport(support: Float32Array, runs: Int32Array): Uint8Array {
  const out = new Uint8Array(lengthOf(runs));
  for (let k = 0, n = 0; k < runs.length; k += 2) {
    // Anything seen at all stays above 0.
    for (let i = runs[k]; i < runs[k + 1]; i++) {
      out[n++] = support[i] > 0 ? Math.min(255, Math.max(1, support[i] * 16)) : 0;
    }
  }
  return out;
}

/** The way back of {@link packFrame}; 0 where no tile is active. @param region - Of the same frame and matte. */
export function unpackFrame(
  { planes, support }: StoredFrame,
  region: Region,
  format: FrameFormat,
): { planes: Float32Array[]; support: Float32Array } {
  return {
    planes: planes.map((values, plane) => unpack(values, 2 ** (format.depth - 16), region, format, plane)),
    support: unpack(support, 1 / 16, region, format, 0),
  };
}

function unpack(
  values: Uint16Array | Uint8Array,
  factor: number,
  region: Region,
  format: FrameFormat,
  plane: number,
): Float32Array {
  const { width, height } = planeSize(region, format, plane);
  const out = new Float32Array(width * height);
  const runs = runsOf(region, format, plane, RIM_TILE);
  for (let k = 0, n = 0; k < runs.length; k += 2) {
    for (let i = runs[k]; i < runs[k + 1]; i++) out[i] = values[n++] * factor;
  }
  return out;
}

function lengthOf(runs: Int32Array): number {
  let n = 0;
  for (let k = 0; k < runs.length; k += 2) n += runs[k + 1] - runs[k];
  return n;
}
