/** One plane of a frame, in samples. */
export interface PlaneFormat {
  width: number;
  height: number;
  /** Luma samples per sample of this plane, across and down: 1 or 2 (4 for 4:1:1). */
  stepX: number;
  stepY: number;
}

/**
 * How a frame is stored: planes one after another, rows without padding, samples of 1 byte (depth 8) or 2 bytes
 * (little endian). Plane 0 is luma, or green for RGB; an alpha plane is carried but never computed on.
 */
export interface FrameFormat {
  width: number;
  height: number;
  /** Bits of a sample, 8 to 16. */
  depth: number;
  planes: PlaneFormat[];
  /** Number of planes that a fill computes; the rest are alpha. */
  colourPlanes: number;
  /** The planes are green, blue and red. */
  rgb?: true;
}

export const bytesPerSample = (format: FrameFormat): number => (format.depth > 8 ? 2 : 1);

export const planeBytes = (format: FrameFormat, plane: number): number =>
  format.planes[plane].width * format.planes[plane].height * bytesPerSample(format);

export const frameBytes = (format: FrameFormat): number =>
  format.planes.reduce((sum, _, i) => sum + planeBytes(format, i), 0);

/** Largest sample value. */
export const maxSample = (format: FrameFormat): number => 2 ** format.depth - 1;

/** The planes of a frame as stored, as samples. */
export function planeViews(frame: Uint8Array, format: FrameFormat): (Uint8Array | Uint16Array)[] {
  let at = frame.byteOffset;
  return format.planes.map((p, plane) => {
    const n = p.width * p.height;
    const start = at;
    at += planeBytes(format, plane);
    return bytesPerSample(format) === 1
      ? new Uint8Array(frame.buffer, start, n)
      : new Uint16Array(frame.buffer, start, n);
  });
}

/** Frames of one format, read by rows. Frame numbers start at 0. */
export interface FrameReader {
  readonly format: FrameFormat;
  readonly count: number;
  /** Reads rows `y`..`y + rows - 1` of a plane into `into`, whole rows as stored. */
  readRows(frame: number, plane: number, y: number, rows: number, into: Uint8Array): void;
}

/** A rectangle of pixels: x, y inclusive corner; width and height. */
export interface Rect {
  x: number;
  y: number;
  width: number;
  height: number;
}

export function intersect(a: Rect, b: Rect): Rect {
  const x = Math.max(a.x, b.x);
  const y = Math.max(a.y, b.y);
  return {
    x,
    y,
    width: Math.max(0, Math.min(a.x + a.width, b.x + b.width) - x),
    height: Math.max(0, Math.min(a.y + a.height, b.y + b.height) - y),
  };
}

export function grow(r: Rect, by: number): Rect {
  return { x: r.x - by, y: r.y - by, width: r.width + 2 * by, height: r.height + 2 * by };
}

/** Smallest rectangle around two; one without a size does not count. */
export function around(a: Rect, b: Rect): Rect {
  if (a.width === 0) return { ...b };
  const [x, y] = [Math.min(a.x, b.x), Math.min(a.y, b.y)];
  const [right, bottom] = [Math.max(a.x + a.width, b.x + b.width), Math.max(a.y + a.height, b.y + b.height)];
  return { x, y, width: right - x, height: bottom - y };
}

/** Smallest rectangle around r whose corner and size are multiples of `step`. */
export function snap(r: Rect, step: number): Rect {
  const x = Math.floor(r.x / step) * step;
  const y = Math.floor(r.y / step) * step;
  return {
    x,
    y,
    width: Math.ceil((r.x + r.width - x) / step) * step,
    height: Math.ceil((r.y + r.height - y) / step) * step,
  };
}

/** A rectangle on frames that are smaller by a factor, with the px that it touches in part. */
export function shrunk({ x, y, width, height }: Rect, factor: number): Rect {
  const [left, top] = [Math.floor(x / factor), Math.floor(y / factor)];
  return {
    x: left,
    y: top,
    width: Math.ceil((x + width) / factor) - left,
    height: Math.ceil((y + height) / factor) - top,
  };
}
