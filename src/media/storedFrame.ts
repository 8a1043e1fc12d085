import type { Gathered } from '../core/fill/gathered.ts';
import { eachRun, planeSize, RIM_TILE, spansOf, type Region } from '../core/fill/region.ts';
import type { FrameFormat } from '../core/image/format.ts';

/** A gathered frame as it is kept between gathering and finishing: the samples of its active tiles, run after run. */
export interface StoredFrame {
  frame: number;
  /** Fused samples scaled to 16 bit. */
  planes: Uint16Array[];
  /** Support in sixteenths, at most 255. */
  support: Uint8Array;
}

export function packFrame({ region, planes, support }: Gathered, format: FrameFormat): StoredFrame {
  const scale = 2 ** (16 - format.depth);
  const packed = planes.map((values, plane) => {
    const spans = spansOf(region, format, plane, RIM_TILE);
    const out = new Uint16Array(lengthOf(spans));
    const { width } = planeSize(region, format, plane);
    let n = 0;
    eachRun(spans, width, (from, to) => {
      for (let i = from; i < to; i++) out[n++] = Math.min(65535, Math.max(0, values[i] * scale + 0.5));
    });
    return out;
  });
  return { frame: region.frame, planes: packed, support: packSupport(support, region, format) };
}

function packSupport(support: Float32Array, region: Region, format: FrameFormat): Uint8Array {
  const spans = spansOf(region, format, 0, RIM_TILE);
  const out = new Uint8Array(lengthOf(spans));
  let n = 0;
  eachRun(spans, region.rect.width, (from, to) => {
    // Anything seen at all stays above 0.
    for (let i = from; i < to; i++) out[n++] = support[i] > 0 ? Math.min(255, Math.max(1, support[i] * 16)) : 0;
  });
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
  const spans = spansOf(region, format, plane, RIM_TILE);
  let n = 0;
  eachRun(spans, width, (from, to) => {
    for (let i = from; i < to; i++) out[i] = values[n++] * factor;
  });
  return out;
}

function lengthOf(spans: Int32Array): number {
  let n = 0;
  for (let k = 0; k < spans.length; k += 3) n += spans[k + 2] - spans[k + 1];
  return n;
}
