import { mkdir } from 'node:fs/promises';
import { basename, join } from 'node:path';
import type { FillSettings } from '../../core/fill/settings.ts';
import { shrunk } from '../../core/fill/stillPlate.ts';
import { frameBytes } from '../../core/image/format.ts';
import { matteFormat } from '../../media/decode.ts';
import type { DrawnMattes } from '../../media/drawnMattes.ts';
import { writeSmallMattes } from '../../media/matteFile.ts';
import { readPlate, writePlate } from '../../media/plateFile.ts';
import type { RawStore } from '../../media/rawStore.ts';
import { requireRoom } from '../../media/room.ts';
import { TakeWork, type TakeResult } from '../../media/take.ts';
import { finishedStretches, tidyTake } from '../../media/takeFiles.ts';
import { engineSettings } from '../services/engineSettings.ts';
import { framesBeneath, mattesOf, storedClip } from '../services/layers.ts';
import { Clip } from '../store/clip.ts';
import { Shot } from '../store/shot.ts';
import { Take } from '../store/take.ts';
import { writePreview } from './previewJob.ts';
import { runWork, type JobContext, type Weights, type Work } from './runWork.ts';

/** Shares measured on the demo shots; they only feed the bar and the time left. */
const WEIGHTS: Record<'draft' | 'full', Weights> = {
  full: { decode: 10, mattes: 4, motion: 22, reveal: 4, gather: 34, unseen: 4, finish: 12, preview: 10 },
  draft: { decode: 22, mattes: 8, motion: 22, reveal: 4, gather: 14, unseen: 2, finish: 8, preview: 20 },
};

/** Computes a take. Taken up again after a kill, it goes on from the finished chunks. */
export async function runTake(id: string, context: JobContext): Promise<void> {
  const take = await Take.findByPk(id);
  if (!take) return;
  const changed = (): Promise<void> => context.tell({ kind: 'take', id, shotId: take.shotId });
  const folder = context.files.take(id);
  await runWork(
    take,
    context,
    WEIGHTS[take.draft ? 'draft' : 'full'],
    changed,
    async (work) => {
      const started = Date.now();
      const { result, previewTrims } = await compute(take, folder, context, work);
      return { outcome: summary(result, started), previewTrims, picked: await becomesPick(take) };
    },
    () => ({ finished: finishedStretches(folder, take.count) }),
  );
}

/** A first take is the pick by itself, and so is a full one after drafts; one of a part of the shot never is. */
async function becomesPick(take: Take): Promise<boolean> {
  const { shotId, removalId } = take;
  if (take.only) return false;
  const pick = await Take.findOne({ where: { shotId, removalId, picked: true } });
  if (!pick) return true;
  if (!pick.draft || take.draft) return pick.id === take.id;
  await pick.update({ picked: false });
  return true;
}

async function compute(
  take: Take,
  folder: string,
  context: JobContext,
  work: Work,
): Promise<{ result: TakeResult; previewTrims: string }> {
  const { files } = context;
  const shot = (await Shot.findByPk(take.shotId, { paranoid: false }))!;
  const clip = storedClip((await Clip.findByPk(shot.clipId, { paranoid: false }))!, files);
  await mkdir(folder, { recursive: true });
  const wanted = await framesBeneath(take, clip, files);
  work.report('decode', 0);
  const small = take.draft ? await context.stores.small(wanted, work.signal) : undefined;
  const full = await context.stores.full(wanted, work.signal);
  const drawn = mattesOf(clip, files, take.removalId, take.marks, take.first, take.count);
  const settings = engineSettings(take.settings, take.first, take.count, clip.info.rotation, files);
  if (settings.plate && small) settings.plate.path = smallPlate(settings.plate.path, folder, small);
  const result = await fill(take, drawn, folder, { full, small }, settings, work);
  const previewTrims = await writePreview(take, context, work);
  await tidyTake(folder, [basename(files.takeProxy(take.id))]);
  return { result, previewTrims };
}

function smallPlate(path: string, folder: string, small: NonNullable<Sizes['small']>): string {
  const smaller = join(folder, 'plate.bin');
  writePlate(smaller, shrunk(readPlate(path), small.format, small.factor));
  return smaller;
}

interface Sizes {
  full: { path: string; format: RawStore['format'] };
  small?: { path: string; format: RawStore['format']; factor: number };
}

async function fill(
  take: Take,
  drawn: DrawnMattes,
  folder: string,
  { full, small }: Sizes,
  settings: FillSettings,
  work: Work,
): Promise<TakeResult> {
  const path = join(folder, 'mattes.raw');
  const held = drawn.format.planes.length > 1;
  const format = small ? matteFormat(small.format.width, small.format.height, held) : drawn.format;
  // At worst every frame of the take is kept twice: gathered and finished.
  const needed = 4 * frameBytes(format) * take.count;
  await requireRoom(folder, needed, 'This take', 'Make room, for instance by deleting takes, and try again.');
  work.report('mattes', 0);
  if (small) await writeSmallMattes(drawn, path, format, small.factor, work.signal);
  else await drawn.write(path, work.signal);
  const engine = new TakeWork({
    frames: small ?? full,
    mattes: { path, format },
    draft: small && { format: full.format, factor: small.factor },
    count: take.count,
    only: take.only ? { first: take.only.first - take.first, last: take.only.last - take.first } : undefined,
    folder,
    settings,
    signal: work.signal,
    onProgress: ({ stage, done }) => work.report(stage, done),
  });
  return engine.fill().finally(() => engine.close());
}

function summary({ frames, motion }: TakeResult, started: number): Take['outcome'] {
  const sum = (key: 'hole' | 'unseen'): number => frames.reduce((total, f) => total + f[key], 0);
  const seconds = (Date.now() - started) / 1000;
  return { hole: sum('hole'), unseen: sum('unseen'), tripod: motion.tripod, seconds };
}
