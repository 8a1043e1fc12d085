import { ALL_FORMATS, EncodedPacketSink, Input, UrlSource } from 'mediabunny';
import type { ProxyFile } from './pictures.ts';

/** A decoded frame: 8-bit planes of YUV 4:2:0, BT.709, limited range, as the proxies are written. */
export interface Planes {
  width: number;
  height: number;
  y: Uint8Array;
  u: Uint8Array;
  v: Uint8Array;
}

/** Frames that are kept decoded: what stepping back and a loop of a second ask for again. */
const KEPT = 48;

interface Opened {
  input: Input;
  packets: EncodedPacketSink;
  decoder: FrameDecoder;
}

/** Frames of an all-intra proxy, by number. Frame n has the time n / rate. */
export class ProxySource {
  private readonly kept = new Map<number, Promise<Planes | undefined>>();
  private opened: Promise<Opened> | undefined;
  private queue: Promise<unknown> = Promise.resolve();

  constructor(private readonly proxy: ProxyFile) {}

  has(frame: number): boolean {
    const { first, count } = this.proxy;
    return frame >= first && frame < first + count;
  }

  /** A frame of the clip; undefined if the proxy has none there or cannot be read. */
  get(frame: number): Promise<Planes | undefined> {
    if (!this.has(frame)) return Promise.resolve(undefined);
    let found = this.kept.get(frame);
    if (found) this.kept.delete(frame);
    else {
      // One after another: the decoder serves whoever asks first, and steps wait for no more than one frame.
      found = this.queue.then(() => this.decode(frame - this.proxy.first)).catch(() => undefined);
      this.queue = found;
      // What could not be read just now is tried again when it is asked for again.
      void found.then((planes) => planes ?? this.kept.delete(frame));
    }
    this.kept.set(frame, found);
    for (const old of this.kept.keys()) {
      if (this.kept.size <= KEPT) break;
      this.kept.delete(old);
    }
    return found;
  }

  close(): void {
    this.kept.clear();
    void this.opened?.then(shut).catch(() => undefined);
  }

  private async open(): Promise<Opened> {
    const input = new Input({ source: new UrlSource(this.proxy.url), formats: ALL_FORMATS });
    try {
      const track = await input.getPrimaryVideoTrack();
      const config = await track?.getDecoderConfig();
      if (!track || !config) throw new Error('the proxy has no picture that can be decoded');
      return { input, packets: new EncodedPacketSink(track), decoder: new FrameDecoder(config) };
    } catch (error) {
      input.dispose();
      throw error;
    }
  }

  private async decode(n: number): Promise<Planes | undefined> {
    this.opened ??= this.open();
    const opened = await this.opened.catch(() => undefined);
    if (!opened) {
      this.opened = undefined;
      return undefined;
    }
    // The middle of the frame: its start, as a rounded time, may belong to the frame before.
    const packet = await opened.packets.getPacket((n + 0.5) / this.proxy.rate);
    return packet ? opened.decoder.decode(packet.toEncodedVideoChunk()) : undefined;
  }
}

function shut({ input, decoder }: Opened): void {
  decoder.close();
  input.dispose();
}

/** One decoder for all frames of a proxy: each is a key frame, so that any can follow any. */
class FrameDecoder {
  private decoder: VideoDecoder | undefined;
  private frame: VideoFrame | undefined;

  constructor(private readonly config: VideoDecoderConfig) {}

  async decode(chunk: EncodedVideoChunk): Promise<Planes> {
    const decoder = this.ready();
    decoder.decode(chunk);
    // Nothing follows: without the flush the frame might stay in the decoder.
    await decoder.flush();
    const { frame } = this;
    this.frame = undefined;
    if (!frame) throw new Error('the decoder gave no frame');
    try {
      return await planesOf(frame);
    } finally {
      frame.close();
    }
  }

  /** A decoder that failed is replaced. */
  private ready(): VideoDecoder {
    if (this.decoder?.state === 'configured') return this.decoder;
    this.decoder = new VideoDecoder({
      output: (frame) => {
        this.frame?.close();
        this.frame = frame;
      },
      error: () => undefined,
    });
    this.decoder.configure({ ...this.config, optimizeForLatency: true });
    return this.decoder;
  }

  close(): void {
    if (this.decoder?.state === 'configured') this.decoder.close();
  }
}

async function planesOf(frame: VideoFrame): Promise<Planes> {
  const { width, height } = frame.visibleRect!;
  const bytes = new Uint8Array(frame.allocationSize());
  const layout = await frame.copyTo(bytes);
  const [cw, ch] = [(width + 1) >> 1, (height + 1) >> 1];
  const y = packed(bytes, layout[0], width, height);
  if (frame.format === 'NV12') {
    const uv = packed(bytes, layout[1], cw * 2, ch);
    return { width, height, y, u: everySecond(uv, 0), v: everySecond(uv, 1) };
  }
  return { width, height, y, u: packed(bytes, layout[1], cw, ch), v: packed(bytes, layout[2], cw, ch) };
}

function packed(bytes: Uint8Array, { offset, stride }: PlaneLayout, width: number, height: number): Uint8Array {
  if (stride === width) return bytes.subarray(offset, offset + width * height);
  const out = new Uint8Array(width * height);
  for (let row = 0; row < height; row++) {
    const from = offset + row * stride;
    out.set(bytes.subarray(from, from + width), row * width);
  }
  return out;
}

function everySecond(values: Uint8Array, from: number): Uint8Array {
  const out = new Uint8Array(values.length / 2);
  for (let i = 0; i < out.length; i++) out[i] = values[2 * i + from];
  return out;
}
