/** The surface that the camera's motion describes. */
export const CAMERA_PLANE = 0;

/**
 * Where the background of one frame lies in another. What is behind a hole may lie at several depths: each surface has a
 * number of its own in its frame, {@link CAMERA_PLANE} or above.
 */
export interface FrameMap {
  /** Which surface lies behind each tile of a frame's region, cols·rows; undefined = the camera's plane everywhere. */
  surfaces(frame: number): Uint8Array | undefined;
  /** Whether a surface of frame `from` is known in frame `to`. */
  knows(from: number, to: number, surface: number): boolean;
  /** @param points - Places in `from`, interleaved x, y in frame px; overwritten with those in `to`. */
  map(from: number, to: number, points: Float32Array | Float64Array, surface: number): void;
  /** Whether one surface of a frame is nearer than another one at a place of it; undefined = not known. */
  isNearer(frame: number, one: number, other: number, x: number, y: number): boolean | undefined;
}
