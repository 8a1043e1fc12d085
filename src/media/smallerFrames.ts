import { bytesPerSample, type FrameFormat, type FrameReader } from '../core/image/format.ts';

/** Frames at a draft's size, made of the full ones as they are read: means of squares. */
export class SmallerFrames implements FrameReader {
  readonly format: FrameFormat;

  /** @param factor - Px of the full frames per px. */
  constructor(
    private readonly full: FrameReader,
    private readonly factor: number,
  ) {
    const { format } = full;
    const less = (size: number): number => Math.ceil(size / factor);
    const [width, height] = [less(format.width), less(format.height)];
    const planes = format.planes.map(({ stepX, stepY }) => ({
      width: Math.ceil(width / stepX),
      height: Math.ceil(height / stepY),
      stepX,
      stepY,
    }));
    this.format = { ...format, width, height, planes };
  }

  get count(): number {
    return this.full.count;
  }

  readRows(frame: number, plane: number, y: number, rows: number, into: Uint8Array): void {
    const { full, factor } = this;
    const { width: from, height } = full.format.planes[plane];
    const { width } = this.format.planes[plane];
    const bytes = bytesPerSample(full.format);
    const top = y * factor;
    const n = Math.min(height, (y + rows) * factor) - top;
    const raw = new Uint8Array(from * n * bytes);
    full.readRows(frame, plane, top, n, raw);
    const samples = bytes === 1 ? raw : new Uint16Array(raw.buffer);
    const out = bytes === 1 ? into : new Uint16Array(into.buffer, into.byteOffset, width * rows);
    const sums = new Uint32Array(width);
    for (let v = 0; v < rows; v++) {
      sums.fill(0);
      const tall = Math.min(factor, n - v * factor);
      for (let b = 0; b < tall; b++) addRow(samples, (v * factor + b) * from, from, factor, sums);
      for (let u = 0; u < width; u++) {
        const px = tall * Math.min(factor, from - u * factor);
        out[v * width + u] = (sums[u] + (px >> 1)) / px;
      }
    }
  }
}

/** Adds a row's samples to the sums of the squares that they lie in. */
function addRow(samples: Uint8Array | Uint16Array, at: number, width: number, factor: number, sums: Uint32Array): void {
  const whole = Math.floor(width / factor);
  let i = at;
  for (let u = 0; u < whole; u++) {
    let sum = 0;
    for (const end = i + factor; i < end; i++) sum += samples[i];
    sums[u] += sum;
  }
  for (const end = at + width; i < end; i++) sums[whole] += samples[i];
}
