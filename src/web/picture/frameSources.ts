import type { ClipView } from '../../contract/clips.ts';
import type { TakeView } from '../../contract/takes.ts';
import { urls } from '../api/client.ts';
import { ProxySource } from './proxySource.ts';
import type { Layer } from './renderer.ts';

/** What is looked at: the footage, or a take by its id. */
export type Subject = 'original' | (string & {});

/** Full-size pictures that are kept. */
const KEPT_SHARP = 12;

/** Frames of a clip and of its takes, as layers to draw. */
export class FrameSources {
  /** By take; the copy with earlier hand trims makes way. */
  private readonly proxies = new Map<string, { url: string; source: ProxySource }>();
  private readonly sharp = new Map<string, Promise<ImageBitmap | undefined>>();
  private readonly rate: number;
  private readonly original: ProxySource;

  constructor(
    private readonly clip: ClipView,
    private readonly takeOf: (id: string) => TakeView | undefined,
  ) {
    const { rate, frames } = clip.info!;
    this.rate = rate.num / rate.den;
    this.original = new ProxySource(urls.clipProxy(clip.id), this.rate, 0, frames);
  }

  /** A frame at proxy size; where a take has nothing, the footage. Undefined if nothing can be read. */
  async get(subject: Subject, frame: number): Promise<Layer | undefined> {
    const take = subject === 'original' ? undefined : this.takeOf(subject);
    if (take && isFinished(take, frame)) {
      const planes = take.playable ? await this.takeProxy(take).get(frame) : undefined;
      if (planes) return { kind: 'planes', planes };
      // A take at work, or just trimmed by hand, has no proxy yet: its frames are fetched one by one.
      const bitmap = await this.getSharp(subject, frame);
      if (bitmap) return { kind: 'bitmap', bitmap };
    }
    const planes = await this.original.get(frame);
    return planes && { kind: 'planes', planes };
  }

  /** A frame at full size. */
  getSharp(subject: Subject, frame: number): Promise<ImageBitmap | undefined> {
    const take = subject === 'original' ? undefined : this.takeOf(subject);
    const fromTake = take && isFinished(take, frame);
    const url = fromTake ? urls.takeFrame(take, frame) : urls.clipFrame(this.clip.id, frame);
    let found = this.sharp.get(url);
    if (!found) {
      found = fetchBitmap(url);
      this.sharp.set(url, found);
      void found.then((bitmap) => bitmap ?? this.sharp.delete(url));
      for (const [old, picture] of this.sharp) {
        if (this.sharp.size <= KEPT_SHARP) break;
        this.sharp.delete(old);
        void picture.then((bitmap) => bitmap?.close());
      }
    }
    return found;
  }

  /** Decodes ahead, so that playing need not wait. */
  prefetch(subject: Subject, frame: number): void {
    const take = subject === 'original' ? undefined : this.takeOf(subject);
    void (take?.playable ? this.takeProxy(take) : this.original).get(frame);
  }

  /** Width of a proxy, px, per px of the frame. */
  get proxyScale(): number {
    const { width, height } = this.clip.info!;
    return Math.min(1, 960 / Math.max(width, height));
  }

  close(): void {
    this.original.close();
    for (const { source } of this.proxies.values()) source.close();
  }

  private takeProxy(take: TakeView): ProxySource {
    const url = urls.takeProxy(take);
    const held = this.proxies.get(take.id);
    if (held?.url === url) return held.source;
    held?.source.close();
    const source = new ProxySource(url, this.rate, take.first, take.count);
    this.proxies.set(take.id, { url, source });
    return source;
  }
}

export const isFinished = (take: TakeView, frame: number): boolean =>
  take.finished.some(([a, b]) => frame >= a && frame <= b);

async function fetchBitmap(url: string): Promise<ImageBitmap | undefined> {
  const response = await fetch(url).catch(() => undefined);
  if (!response?.ok) return undefined;
  return createImageBitmap(await response.blob(), { colorSpaceConversion: 'none' });
}
