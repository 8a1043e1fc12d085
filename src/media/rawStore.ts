import { closeSync, fstatSync, openSync, readSync } from 'node:fs';
import { AppError } from '../core/errors.ts';
import { bytesPerSample, frameBytes, planeBytes, type FrameFormat, type FrameReader } from '../core/image/format.ts';

/** Frames of one format in a plain file, one after another; read by rows. */
export class RawStore implements FrameReader {
  private readonly fd: number;
  private readonly frameSize: number;
  private readonly planeStart: number[] = [];
  readonly count: number;

  constructor(
    readonly path: string,
    readonly format: FrameFormat,
  ) {
    this.fd = openSync(path, 'r');
    this.frameSize = frameBytes(format);
    let at = 0;
    format.planes.forEach((_, i) => {
      this.planeStart.push(at);
      at += planeBytes(format, i);
    });
    this.count = Math.floor(fstatSync(this.fd).size / this.frameSize);
  }

  readRows(frame: number, plane: number, y: number, rows: number, into: Uint8Array): void {
    const stride = this.format.planes[plane].width * bytesPerSample(this.format);
    this.readAt(frame * this.frameSize + this.planeStart[plane] + y * stride, rows * stride, into);
  }

  /** A whole frame, all planes. */
  readFrame(frame: number, into: Uint8Array): void {
    this.readAt(frame * this.frameSize, this.frameSize, into);
  }

  private readAt(position: number, length: number, into: Uint8Array): void {
    for (let done = 0; done < length;) {
      const n = readSync(this.fd, into, done, length - done, position + done);
      if (n === 0) throw new AppError('store_short', `${this.path} ends before byte ${position + length}.`);
      done += n;
    }
  }

  close(): void {
    closeSync(this.fd);
  }
}
