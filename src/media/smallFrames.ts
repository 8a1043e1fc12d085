import type { FrameFormat } from '../core/image/format.ts';
import { cutOff, decodeFrames, draftFactor, draftFormat } from './decode.ts';
import { storedFormat } from './pixelFormat.ts';
import type { ClipInfo } from './probe.ts';
import { RawStore } from './rawStore.ts';

/** Frames at a draft's size in a file. */
export interface SmallFrames {
  path: string;
  format: FrameFormat;
  /** Px of the clip per px. */
  factor: number;
  count: number;
}

/**
 * Decodes a clip at a draft's size.
 * @throws AppError `cut_off` if it has fewer frames than it says.
 */
export async function decodeSmall(
  input: string,
  clip: ClipInfo,
  path: string,
  signal?: AbortSignal,
): Promise<SmallFrames> {
  const factor = draftFactor(clip.width, clip.height);
  const stored = draftFormat(storedFormat(clip.pixelFormat, clip.width, clip.height), factor);
  await decodeFrames(input, [{ path, stored }], clip, signal);
  const store = new RawStore(path, stored.format);
  const { count } = store;
  store.close();
  if (count < clip.frames) throw cutOff(clip.frames, count);
  return { path, format: stored.format, factor, count };
}
