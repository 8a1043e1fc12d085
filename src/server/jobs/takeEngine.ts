import { randomUUID } from 'node:crypto';
import { existsSync, statSync } from 'node:fs';
import { mkdir, rename, rm } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import { shrunk } from '../../core/fill/stillPlate.ts';
import { frameBytes, type FrameFormat } from '../../core/image/format.ts';
import { matteFormat } from '../../media/decode.ts';
import type { DrawnMattes } from '../../media/drawnMattes.ts';
import { writeSmallMattes } from '../../media/matteFile.ts';
import { readPlate, writePlate } from '../../media/plateFile.ts';
import { requireRoom } from '../../media/room.ts';
import { TakeWork } from '../../media/take.ts';
import { tidyTake } from '../../media/takeFiles.ts';
import type { Files } from '../files.ts';
import type { StoredFrames } from '../services/frameStores.ts';
import { engineSettings } from '../services/engineSettings.ts';
import { besideOf, framesBeneath, groundOf, mattesOf, picksOf, storedClip, takesById } from '../services/layers.ts';
import { Clip } from '../store/clip.ts';
import { Shot } from '../store/shot.ts';
import type { Take } from '../store/take.ts';
import type { JobContext, Work } from './runWork.ts';

const mattesFile = (take: Take, files: Files): string => join(files.take(take.id), 'mattes.raw');

/**
 * Has a take lie on what is filled when it begins, and not on what was when it was asked for: several things can be asked for
 * at once, in their order. What has begun stays as it is.
 */
export async function layOnFilled(take: Take, files: Files): Promise<void> {
  if (existsSync(mattesFile(take, files))) return;
  const { document } = (await Shot.findByPk(take.shotId, { paranoid: false }))!;
  if (!(take.removalId in document.removals)) return;
  await take.update(groundOf(document, take, await picksOf(take.shotId)));
}

/**
 * The engine at work on a take, with its frames and mattes; everyone who works on the take gets the same, whoever made them.
 * Its chunks lie in the take's folder.
 */
export async function engineOf(take: Take, { files, stores }: JobContext, work: Work): Promise<TakeWork> {
  const folder = files.take(take.id);
  const shot = (await Shot.findByPk(take.shotId, { paranoid: false }))!;
  const clip = storedClip((await Clip.findByPk(shot.clipId, { paranoid: false }))!, files);
  await mkdir(folder, { recursive: true });
  const wanted = await framesBeneath(take, clip, files);
  work.report('decode', 0);
  const small = take.draft ? await stores.small(wanted, work.signal) : undefined;
  const full = await stores.full(wanted, work.signal);
  const settings = engineSettings(take.settings, take.first, take.count, clip.info.rotation, files);
  if (settings.plate && small) settings.plate.path = smallPlate(settings.plate.path, folder, small);
  work.report('mattes', 0);
  const filled = (await takesById(take.beneath)).map(({ removalId }) => removalId);
  const beside = besideOf(shot.document, take.removalId, filled);
  const drawn = mattesOf(clip, files, take.removalId, take.marks, take.first, take.count, beside);
  const { only } = take;
  return new TakeWork({
    frames: small ?? full,
    mattes: await mattesIn(mattesFile(take, files), drawn, take.count, work, small),
    draft: small && { format: full.format, factor: small.factor },
    count: take.count,
    only: only ? { first: only.first - take.first, last: only.last - take.first } : undefined,
    folder,
    settings,
    signal: work.signal,
    onProgress: ({ stage, done }) => work.report(stage, done),
  });
}

/** Leaves of a take that is done its patches and its playable copy. */
export const tidy = (id: string, files: Files): Promise<void> =>
  tidyTake(files.take(id), [basename(files.takeProxy(id))]);

type SmallFrames = StoredFrames & { factor: number };

function smallPlate(path: string, folder: string, small: SmallFrames): string {
  const smaller = join(folder, 'plate.bin');
  writePlate(smaller, shrunk(readPlate(path), small.format, small.factor));
  return smaller;
}

/** A take's mattes are drawn once: other things may be marked while it is computed, and whoever goes on with it gets the same. */
async function mattesIn(
  path: string,
  drawn: DrawnMattes,
  count: number,
  { signal }: Work,
  small?: SmallFrames,
): Promise<{ path: string; format: FrameFormat }> {
  const { width, height } = small?.format ?? drawn.format;
  // A second plane tells what is held out.
  const known = (): { path: string; format: FrameFormat } => {
    const planes = statSync(path).size / (width * height * count);
    return { path, format: matteFormat(width, height, planes > 1) };
  };
  if (existsSync(path)) return known();
  const format = matteFormat(width, height, drawn.format.planes.length > 1);
  // At worst every frame of the take is kept twice: gathered and finished.
  const needed = 4 * frameBytes(format) * count;
  await requireRoom(dirname(path), needed, 'This take', 'Make room, for instance by deleting takes, and try again.');
  const part = `${path}.${randomUUID()}.part`;
  try {
    if (small) await writeSmallMattes(drawn, part, format, small.factor, signal);
    else await drawn.write(part, signal);
    await rename(part, path);
  } finally {
    await rm(part, { force: true });
  }
  return known();
}
