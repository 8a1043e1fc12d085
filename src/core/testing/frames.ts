import { bytesPerSample, type FrameFormat, type FrameReader } from '../image/format.ts';

/** An 8-bit picture of luma alone, or in 4:2:0. */
export function smallFormat(width: number, height: number, chroma = false): FrameFormat {
  const half = { width: Math.ceil(width / 2), height: Math.ceil(height / 2), stepX: 2, stepY: 2 };
  const planes = [{ width, height, stepX: 1, stepY: 1 }, ...(chroma ? [half, half] : [])];
  return { width, height, depth: 8, planes, colourPlanes: planes.length };
}

/** Frames whose samples are worked out when they are read. @param sample - Of a plane, at column x and row y, within the depth. */
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
      const samples =
        bytesPerSample(format) === 1 ? into : new Uint16Array(into.buffer, into.byteOffset, into.length >> 1);
      for (let j = 0; j < rows; j++) {
        for (let x = 0; x < width; x++) samples[j * width + x] = sample(x, y + j, plane, frame);
      }
    },
  };
}
