import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import { AppError } from '../core/errors.ts';
import { frameBytes } from '../core/image/format.ts';
import { cutOff, decodeFrames, decodeMatte, draftFactor, draftFormat, matteFormat } from '../media/decode.ts';
import { storedFormat, type StoredFormat } from '../media/pixelFormat.ts';
import { probeClip, shownSize, type ClipInfo } from '../media/probe.ts';
import { RawStore } from '../media/rawStore.ts';
import { matteVideo } from '../media/readMatte.ts';
import { isAsItIs, useMatte, type MatteUse } from './matteUse.ts';
import { scratchFolder } from './scratch.ts';
import type { Terminal } from './terminal.ts';

/** Footage, and what of it goes away. */
export interface Marked {
  input: string;
  matte: string;
  /** What passes in front and stays: grey like the matte. */
  holdout?: string;
  use: MatteUse;
}

/** Footage and matte decoded into a folder of their own, and what they are. */
export interface Prepared {
  clip: ClipInfo;
  stored: StoredFormat;
  frames: { path: string; format: StoredFormat['format'] };
  mattes: { path: string; format: StoredFormat['format'] };
  small?: {
    frames: { path: string; format: StoredFormat['format'] };
    mattes: { path: string; format: StoredFormat['format'] };
    factor: number;
  };
  folder: string;
}

interface MatteFile {
  path: string;
  info: ClipInfo;
}

/** Decodes what a fill or a reveal works on. The folder is the caller's to remove. */
export async function prepare(
  { input, matte, holdout, use }: Marked,
  sizes: { full: boolean; small: boolean },
  terminal: Terminal,
  signal: AbortSignal,
): Promise<Prepared> {
  const clip = await probeClip(input);
  const stored = storedFormat(clip.pixelFormat, clip.width, clip.height);
  const bytes = (sizes.full ? frameBytes(stored.format) * 1.4 : 0) + clip.width * clip.height * 1.2;
  const folder = await scratchFolder(bytes * clip.frames, 'The fill');
  try {
    const frames = { path: join(folder, 'frames.raw'), format: stored.format };
    const mattes = {
      path: join(folder, 'mattes.raw'),
      format: matteFormat(clip.width, clip.height, holdout !== undefined),
    };
    const given = isAsItIs(use) ? mattes : { ...mattes, path: join(folder, 'given.raw') };
    const prepared: Prepared = { clip, stored, frames, mattes, folder };
    const factor = draftFactor(clip.width, clip.height);
    const smallFormat = draftFormat(stored, factor);
    if (sizes.small) {
      const { width, height } = smallFormat.format;
      prepared.small = {
        factor,
        frames: { path: join(folder, 'small.raw'), format: smallFormat.format },
        mattes: { path: join(folder, 'small-mattes.raw'), format: matteFormat(width, height, holdout !== undefined) },
      };
    }
    terminal.stage('decode');
    const asVideo = async (path: string, name: string): Promise<MatteFile> => {
      const pictures = { ...shownSize(clip), scratch: join(folder, name), signal };
      const video = await matteVideo(path, join(folder, `${name}.mkv`), pictures);
      return { path: video, info: await probeClip(video) };
    };
    const drawn = await asVideo(matte, 'matte');
    const held = holdout === undefined ? undefined : await asVideo(holdout, 'holdout');
    const targets = [
      ...(sizes.full ? [{ path: frames.path, stored }] : []),
      ...(prepared.small ? [{ path: prepared.small.frames.path, stored: smallFormat }] : []),
    ];
    await Promise.all([
      decodeFrames(input, targets, clip, signal),
      decodeMatte(drawn.path, drawn.info, clip, given.path, signal, held, use.begins !== undefined),
    ]);
    if (given !== mattes) await useMatte(given, mattes.path, clip.frames, use, signal);
    checkCounts(prepared);
    return prepared;
  } catch (error) {
    await rm(folder, { recursive: true, force: true });
    throw error;
  }
}

function checkCounts({ clip, frames, small, mattes }: Prepared): void {
  const decoded = small?.frames ?? frames;
  const a = new RawStore(decoded.path, decoded.format);
  const b = new RawStore(mattes.path, mattes.format);
  const [got, matte] = [a.count, b.count];
  a.close();
  b.close();
  if (got !== clip.frames) {
    throw cutOff(clip.frames, got);
  }
  if (matte !== got) {
    throw new AppError(
      'matte_length',
      `The matte has ${matte} frames, the footage ${got}. They must have the same frames.`,
    );
  }
}
