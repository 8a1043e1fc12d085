import { frameBytes, planeBytes, bytesPerSample, type FrameFormat, type FrameReader } from '../core/image/format.ts';

/** A single frame in memory, read as frame 0. */
export class OnePicture implements FrameReader {
  readonly count = 1;

  /** @param bytes - All planes as stored. @throws RangeError if they are too few. */
  constructor(
    private readonly bytes: Uint8Array,
    readonly format: FrameFormat,
  ) {
    if (bytes.length < frameBytes(format)) throw new RangeError('the picture is cut off');
  }

  readRows(_frame: number, plane: number, y: number, rows: number, into: Uint8Array): void {
    let start = 0;
    for (let p = 0; p < plane; p++) start += planeBytes(this.format, p);
    const stride = this.format.planes[plane].width * bytesPerSample(this.format);
    into.set(this.bytes.subarray(start + y * stride, start + (y + rows) * stride));
  }
}
