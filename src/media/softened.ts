import { grow, intersect, maxSample, type FrameReader, type Rect } from '../core/image/format.ts';
import { softEdge, type ColourGuide } from '../core/outline/softEdge.ts';
import type { RasterPatch } from '../core/shapes/raster.ts';

/**
 * What an outline covers of a frame, with the edge that the frame shows.
 * @param reach - How far on both sides of the outline the edge may lie, px.
 */
export function softened(outline: RasterPatch, frames: FrameReader, frame: number, reach: number): RasterPatch {
  const { rect: own, values } = outline;
  if (own.width === 0) return outline;
  const { width, height } = frames.format;
  const rect = intersect(grow(own, 2 * reach), { x: 0, y: 0, width, height });
  const coverage = new Uint8Array(rect.width * rect.height);
  for (let row = 0; row < own.height; row++) {
    const at = (own.y - rect.y + row) * rect.width + own.x - rect.x;
    coverage.set(values.subarray(row * own.width, (row + 1) * own.width), at);
  }
  const guide = guideOf(frames, frame, rect);
  return { rect, values: softEdge(coverage, guide, rect.width, rect.height, reach) };
}

/** Colours of a part of a frame. */
function guideOf(frames: FrameReader, frame: number, rect: Rect): ColourGuide {
  const luma = planeOf(frames, frame, 0, rect);
  if (frames.format.colourPlanes < 3) {
    const none = new Float32Array(luma.length);
    return [luma, none, none];
  }
  return [luma, planeOf(frames, frame, 1, rect), planeOf(frames, frame, 2, rect)];
}

/** Samples of a plane, 0..1, one per px: its own or the one that it shares with its neighbours. */
function planeOf(frames: FrameReader, frame: number, plane: number, { x, y, width, height }: Rect): Float32Array {
  const { format } = frames;
  const { width: w, height: h, stepX, stepY } = format.planes[plane];
  const [top, end] = [Math.floor(y / stepY), Math.min(h, Math.ceil((y + height) / stepY))];
  const rows = format.depth > 8 ? new Uint16Array(w * (end - top)) : new Uint8Array(w * (end - top));
  frames.readRows(frame, plane, top, end - top, new Uint8Array(rows.buffer));
  const full = maxSample(format);
  const out = new Float32Array(width * height);
  for (let r = y, i = 0; r < y + height; r++) {
    const row = (Math.min(end - 1, Math.floor(r / stepY)) - top) * w;
    for (let c = x; c < x + width; c++, i++) out[i] = rows[row + Math.min(w - 1, Math.floor(c / stepX))] / full;
  }
  return out;
}
