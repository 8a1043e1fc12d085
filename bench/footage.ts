import { mkdir, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { bytesPerSample, frameBytes } from '../src/core/image/format.ts';
import { decodeFrames, matteFormat } from '../src/media/decode.ts';
import { storedFormat } from '../src/media/pixelFormat.ts';
import { probeClip } from '../src/media/probe.ts';
import { RawStore } from '../src/media/rawStore.ts';
import type { Picture } from './picture.ts';

/** A decoded video: luma as floats in levels of 8 bits, and raw frames. */
export class Footage {
  private constructor(readonly store: RawStore) {}

  /** @param grey - Decode as 8-bit grey. */
  static async open(path: string, scratch: string, name: string, grey = false): Promise<Footage> {
    await mkdir(scratch, { recursive: true });
    const info = await probeClip(path);
    const stored = grey
      ? { pixelFormat: 'gray', format: matteFormat(info.width, info.height) }
      : storedFormat(info.pixelFormat, info.width, info.height);
    const raw = join(scratch, `${name}.raw`);
    await decodeFrames(path, [{ path: raw, stored }], info);
    return new Footage(new RawStore(raw, stored.format));
  }

  luma(frame: number): Picture {
    const { width, height, depth } = this.store.format;
    const bytes = new Uint8Array(width * height * bytesPerSample(this.store.format));
    this.store.readRows(frame, 0, 0, height, bytes);
    const samples = depth > 8 ? new Uint16Array(bytes.buffer) : bytes;
    // Plainly: hundreds of frames are looked at, and a call for each sample would be most of a judgement's time.
    const values = new Float32Array(samples.length);
    const share = 2 ** (8 - depth);
    for (let i = 0; i < values.length; i++) values[i] = samples[i] * share;
    return { width, height, values };
  }

  bytes(frame: number): Uint8Array {
    const out = new Uint8Array(frameBytes(this.store.format));
    this.store.readFrame(frame, out);
    return out;
  }

  async close(): Promise<void> {
    this.store.close();
    await rm(this.store.path, { force: true });
  }
}
