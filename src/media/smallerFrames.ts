import { bytesPerSample, type FrameFormat, type FrameReader } from '../core/image/format.ts';
import type { Kernels } from '../kernels/kernels.ts';

/** Frames at a draft's size, made of the full ones as they are read: means of squares. */
export class SmallerFrames implements FrameReader {
  readonly format: FrameFormat;

  /** @param factor - Px of the full frames per px. */
  constructor(
    private readonly kernels: Kernels,
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
    const { kernels, full, factor } = this;
    const { width: from, height } = full.format.planes[plane];
    const { width } = this.format.planes[plane];
    const bytes = bytesPerSample(full.format);
    const top = y * factor;
    const n = Math.min(height, (y + rows) * factor) - top;
    kernels.scoped(() => {
      const raw = kernels.alloc(from * n * bytes);
      full.readRows(frame, plane, top, n, kernels.u8(raw, from * n * bytes));
      const out = kernels.alloc(width * rows * bytes);
      kernels.run.meanSquares(raw, bytes, from, n, factor, out, kernels.alloc((from + 8) * 4));
      into.set(kernels.u8(out, width * rows * bytes));
    });
  }
}
