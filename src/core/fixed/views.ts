import { bytesPerSample, planeBytes, type FrameReader } from '../image/format.ts';

/** One of the frames that are looked at. */
export interface View {
  frame: number;
  /** 8 bits per px. */
  luma: Uint8Array;
  /** 1 where nothing that goes away stands. */
  free: Uint8Array;
}

/** Whether a px of a frame is free of what goes away. */
export type FreeAt = (frame: number, x: number, y: number) => boolean;

export function viewsOf(frames: FrameReader, asked: readonly number[], isFree: FreeAt): View[] {
  const { width, height } = frames.format;
  return asked.map((frame) => {
    const free = new Uint8Array(width * height);
    for (let y = 0, i = 0; y < height; y++) for (let x = 0; x < width; x++, i++) free[i] = isFree(frame, x, y) ? 1 : 0;
    return { frame, luma: lumaOf(frames, frame), free };
  });
}

/** Of RGB the first plane, which is green, does. */
function lumaOf(frames: FrameReader, frame: number): Uint8Array {
  const { format } = frames;
  const bytes = new Uint8Array(planeBytes(format, 0));
  frames.readRows(frame, 0, 0, format.height, bytes);
  if (bytesPerSample(format) === 1) return bytes;
  return Uint8Array.from(new Uint16Array(bytes.buffer), (v) => v >> (format.depth - 8));
}
