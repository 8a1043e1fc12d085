import type { Picture, ProxyFile } from './pictures.ts';
import { ProxySource } from './proxySource.ts';
import type { Layer } from './renderer.ts';

/** Full-size pictures that are kept. */
const KEPT_SHARP = 12;
/** Proxies that are kept open, each with its last frames: both sides of a wipe, the footage, and one to go back to. */
const KEPT_PROXIES = 4;

/** Pictures that were read, as layers to draw. */
export class PictureStore {
  private readonly proxies = new Map<string, ProxySource>();
  private readonly sharp = new Map<string, Promise<ImageBitmap | undefined>>();

  constructor(private readonly openProxy = (proxy: ProxyFile) => new ProxySource(proxy)) {}

  /** A picture from the first of its sources that has it; undefined if none can be read. */
  async get({ frame, sources }: Picture): Promise<Layer | undefined> {
    for (const source of sources) {
      if (source.kind === 'proxy') {
        const planes = await this.proxy(source).get(frame);
        if (planes) return { kind: 'planes', planes };
      } else {
        const bitmap = await this.getSharp(source.url);
        if (bitmap) return { kind: 'bitmap', bitmap };
      }
    }
    return undefined;
  }

  /** A frame at full size. */
  getSharp(url: string): Promise<ImageBitmap | undefined> {
    let found = this.sharp.get(url);
    if (!found) {
      found = fetchBitmap(url);
      this.sharp.set(url, found);
      void found.then((bitmap) => bitmap ?? this.sharp.delete(url));
      dropOldest(this.sharp, KEPT_SHARP, (picture) => void picture.then((bitmap) => bitmap?.close()));
    }
    return found;
  }

  /** Decodes ahead, so that playing need not wait. */
  prefetch({ frame, sources }: Picture): void {
    const [source] = sources;
    if (source.kind === 'proxy') void this.proxy(source).get(frame);
  }

  private proxy(wanted: ProxyFile): ProxySource {
    const { url } = wanted;
    const source = this.proxies.get(url) ?? this.openProxy(wanted);
    // The one asked for last is the last to go.
    this.proxies.delete(url);
    this.proxies.set(url, source);
    dropOldest(this.proxies, KEPT_PROXIES, (old) => old.close());
    return source;
  }
}

/** Leaves so many of a map's values; its first are the oldest. */
function dropOldest<T>(kept: Map<string, T>, most: number, close: (value: T) => void): void {
  for (const [key, value] of kept) {
    if (kept.size <= most) break;
    kept.delete(key);
    close(value);
  }
}

async function fetchBitmap(url: string): Promise<ImageBitmap | undefined> {
  const response = await fetch(url).catch(() => undefined);
  if (!response?.ok) return undefined;
  return createImageBitmap(await response.blob(), { colorSpaceConversion: 'none' });
}
