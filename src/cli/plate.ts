import { mkdir, rm } from 'node:fs/promises';
import { dirname, join, resolve } from 'node:path';
import { AppError } from '../core/errors.ts';
import type { Statistic } from '../core/fill/fusion.ts';
import { FILL_DEFAULTS, type PlateUse } from '../core/fill/settings.ts';
import { shrunk } from '../core/fill/stillPlate.ts';
import { PLATE_KINDS, readPlatePicture, writePlatePicture } from '../media/platePicture.ts';
import { writePlate } from '../media/plateFile.ts';
import { TakeWork } from '../media/take.ts';
import { prepare, type Marked, type Prepared } from './prepare.ts';
import type { Terminal } from './terminal.ts';

export interface PlateRequest extends Marked {
  frame: number;
  /** Frames that it is made of, inclusive; all unless given. */
  first?: number;
  last?: number;
  statistic: Statistic;
  output: string;
  threads?: number;
}

/** `mnestra plate`. */
export async function plateCommand(request: PlateRequest, terminal: Terminal, signal: AbortSignal): Promise<void> {
  if (!PLATE_KINDS.some((kind) => request.output.toLowerCase().endsWith(`.${kind}`))) {
    throw new AppError('output_kind', `A plate is a .png or a .tif, not ${request.output}.`);
  }
  await mkdir(dirname(resolve(request.output)), { recursive: true });
  const prepared = await prepare(request, { full: true, small: false }, terminal, signal);
  try {
    const { clip, stored } = prepared;
    const { frame, first = 0, last = clip.frames - 1, statistic } = request;
    if (frame >= clip.frames || last >= clip.frames || first > last) {
      throw new AppError('usage', `The clip has the frames 0 to ${clip.frames - 1}; --first comes before --last.`);
    }
    const work = workOn(prepared, request, terminal, signal);
    const plate = await work.still({ frame, first, last, statistic }).finally(() => work.close());
    await writePlatePicture(plate, clip, stored, request.output);
  } finally {
    await rm(prepared.folder, { recursive: true, force: true });
  }
}

function workOn(p: Prepared, { threads }: PlateRequest, terminal: Terminal, signal: AbortSignal): TakeWork {
  return new TakeWork({
    frames: p.frames,
    mattes: p.mattes,
    count: p.clip.frames,
    settings: FILL_DEFAULTS,
    threads,
    signal,
    onProgress: ({ stage, done }) => terminal.progress(stage, done),
  });
}

/** A picture of the background, and the frame at which it lies. */
export interface GivenPlate {
  file: string;
  frame: number;
}

/**
 * A picture as a plate for work on a clip.
 * @param small - Given where the work is on smaller frames.
 * @throws AppError `usage` if it lies at no frame of the clip; those of {@link readPlatePicture}.
 */
export async function preparePlate(
  given: GivenPlate | undefined,
  p: Prepared,
  small?: Prepared['small'],
): Promise<PlateUse | undefined> {
  if (!given) return undefined;
  const { file, frame } = given;
  if (frame >= p.clip.frames) {
    throw new AppError('usage', `--plate: the clip has the frames 0 to ${p.clip.frames - 1}.`);
  }
  const plate = await readPlatePicture(file, p.clip, p.stored);
  const path = join(p.folder, 'plate.bin');
  writePlate(path, small ? shrunk(plate, small.frames.format, small.factor) : plate);
  return { frame, path };
}
