import type { FrameFormat, FrameReader } from '../core/image/format.ts';
import { cutOff, decodeFrames } from './decode.ts';
import { storedFormat } from './pixelFormat.ts';
import type { ClipInfo } from './probe.ts';
import { RawStore } from './rawStore.ts';

/** Frames of a store that begins with a clip's frame `first`, numbered as in the clip. */
export class LumaFrames implements FrameReader {
  constructor(
    private readonly store: RawStore,
    private readonly first: number,
    readonly count: number,
  ) {}

  get format(): FrameFormat {
    return this.store.format;
  }

  readRows(frame: number, plane: number, y: number, rows: number, into: Uint8Array): void {
    this.store.readRows(frame - this.first, plane, y, rows, into);
  }

  close(): void {
    this.store.close();
  }
}

/**
 * Decodes luma (green, for RGB) of frames first..last of a clip into a file.
 *
 * @param path - File for the samples: as many bytes as the frames have pixels, twice that above 8 bits.
 * @throws AppError `cut_off` if the clip has fewer frames than it says.
 */
export async function decodeLuma(
  input: string,
  clip: ClipInfo,
  path: string,
  range: { first: number; last: number },
  signal?: AbortSignal,
): Promise<LumaFrames> {
  const { width, height } = clip;
  const { pixelFormat, format: whole } = storedFormat(clip.pixelFormat, width, height);
  const { depth } = whole;
  const format = { ...whole, planes: whole.planes.slice(0, 1), colourPlanes: 1 };
  const stored = { pixelFormat: depth > 8 ? `gray${depth}le` : 'gray', format };
  // The plane as it lies: a conversion to grey would cost a fifth of the decoding.
  const filters = [`format=${pixelFormat}`, `extractplanes=${pixelFormat.startsWith('gbr') ? 'g' : 'y'}`];
  const count = range.last - range.first + 1;
  await decodeFrames(input, [{ path, stored, filters }], clip, signal, { ...clip, first: range.first, count });
  const store = new RawStore(path, format);
  if (store.count < count) {
    store.close();
    throw cutOff(clip.frames, range.first + store.count);
  }
  return new LumaFrames(store, range.first, clip.frames);
}
