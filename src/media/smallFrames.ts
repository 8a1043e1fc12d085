import { AppError } from '../core/errors.ts';
import type { FrameFormat } from '../core/image/format.ts';
import { decodeFrames, draftFactor, draftFormat, type FrameRange } from './decode.ts';
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
 * Decodes a clip, or a range of it, at a draft's size.
 * @throws AppError `cut_off` if it has fewer frames than it says.
 */
export async function decodeSmall(
  input: string,
  clip: ClipInfo,
  path: string,
  signal?: AbortSignal,
  range?: FrameRange,
): Promise<SmallFrames> {
  const factor = draftFactor(clip.width, clip.height);
  const stored = draftFormat(storedFormat(clip.pixelFormat, clip.width, clip.height), factor);
  await decodeFrames(input, [{ path, stored }], clip, signal, range);
  const store = new RawStore(path, stored.format);
  const { count } = store;
  store.close();
  const expected = range?.count ?? clip.frames;
  if (count < expected) {
    throw new AppError(
      'cut_off',
      `The footage should have ${clip.frames} frames, but only ${(range?.first ?? 0) + count} can be decoded. Copy it again from the camera or card.`,
    );
  }
  return { path, format: stored.format, factor, count };
}
