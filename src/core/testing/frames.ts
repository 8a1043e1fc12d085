import type { FrameFormat, FrameReader } from '../image/format.ts';

/** An 8-bit picture of luma alone, or in 4:2:0. */
export function smallFormat(width: number, height: number, chroma = false): FrameFormat {
  const half = { width: Math.ceil(width / 2), height: Math.ceil(height / 2), stepX: 2, stepY: 2 };
  const planes = [{ width, height, stepX: 1, stepY: 1 }, ...(chroma ? [half, half] : [])];
  return { width, height, depth: 8, planes, colourPlanes: planes.length };
}

/** Frames whose samples are worked out when they are read. @param sample - Of a plane, at column x and row y, 0..255. */
export function paintedFrames(
  format: FrameFormat,
  count: number,
  sample: (x: number, y: number, plane: number, frame: number) => number,
): FrameReader {
  return {
    format,
    count,
    readRows(frame, plane, y, rows, into) {
      const { width } = format.planes[plane];
      for (let j = 0; j < rows; j++) {
        for (let x = 0; x < width; x++) into[j * width + x] = sample(x, y + j, plane, frame);
      }
    },
  };
}
