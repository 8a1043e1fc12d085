import type { Rect } from '../image/format.ts';

/** The part of a frame in which a matte that was made elsewhere is above 0, and its values there, 0..255. */
export interface RasterPatch {
  rect: Rect;
  values: Uint8Array;
}

/** Rows y .. y + rows - 1 of a frame `width` px wide of which this is the part above 0. */
export function rasterRows(
  { rect, values }: RasterPatch,
  width: number,
  y: number,
  rows: number,
  into: Uint8Array,
): void {
  into.fill(0, 0, rows * width);
  for (let row = Math.max(y, rect.y); row < Math.min(y + rows, rect.y + rect.height); row++) {
    const from = (row - rect.y) * rect.width;
    into.set(values.subarray(from, from + rect.width), (row - y) * width + rect.x);
  }
}

/** Frames of a matte that was made elsewhere, counted from its first; undefined where it is empty or not at hand. */
export type RasterFrames = (frame: number) => RasterPatch | undefined;

/** A matte that was made elsewhere, laid over a shot. */
export interface Raster {
  frames: RasterFrames;
  /** Frame of the shot at which its first frame lies, and how many of its frames go by with each of the shot's. */
  start: number;
  pace: number;
  count: number;
}

/** Which of its frames lies over a frame of the shot; undefined outside of them. */
export function rasterFrame({ start, pace, count }: Omit<Raster, 'frames'>, frame: number): number | undefined {
  const at = Math.round((frame - start) * pace);
  return at >= 0 && at < count ? at : undefined;
}

export function rasterAt(raster: Raster, frame: number): RasterPatch | undefined {
  const at = rasterFrame(raster, frame);
  return at === undefined ? undefined : raster.frames(at);
}
