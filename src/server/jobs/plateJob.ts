import { mkdir, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { FILL_DEFAULTS } from '../../core/fill/settings.ts';
import { AppError } from '../../core/errors.ts';
import { readPlatePicture } from '../../media/platePicture.ts';
import { writePlate, type StoredPlate } from '../../media/plateFile.ts';
import { TakeWork } from '../../media/take.ts';
import { storedOf, type StoredClip } from '../services/frameStores.ts';
import { basisOf, besideOf, framesBeneath, mattesOf, picksInOrder, picksOf, storedClip } from '../services/layers.ts';
import { dropUpload } from '../services/mattes.ts';
import { Clip } from '../store/clip.ts';
import { Plate } from '../store/plate.ts';
import { Shot } from '../store/shot.ts';
import { commitEdit } from './commitEdit.ts';
import { runWork, type JobContext, type Work } from './runWork.ts';

/** Makes a plate, from the shot or from a picture, and lays it into its removal's settings as the first source. */
export async function runPlate(id: string, context: JobContext): Promise<void> {
  const row = await Plate.findByPk(id);
  if (!row) return;
  const { files } = context;
  const changed = (): Promise<void> => context.tell({ kind: 'plate', id, shotId: row.shotId });
  await runWork(row, context, { decode: 30, mattes: 10, motion: 30, gather: 30 }, changed, async (work) => {
    const shot = (await Shot.findByPk(row.shotId, { paranoid: false }))!;
    const clip = storedClip((await Clip.findByPk(shot.clipId, { paranoid: false }))!, files);
    const plate = row.built
      ? await build(row, shot, clip, context, work)
      : await readPlatePicture(join(files.incoming, row.upload!), clip.info, storedOf(clip));
    writePlate(files.plate(id), plate);
    await layIn(row, context);
    return {};
  });
  if (!context.signal.aborted) await dropUpload(files, row);
}

async function build(
  row: Plate,
  shot: Shot,
  clip: StoredClip,
  { files, stores }: JobContext,
  work: Work,
): Promise<StoredPlate> {
  const { removalId, frame, id } = row;
  const { first: from, last: to, statistic } = row.built!;
  const picks = await picksOf(shot.id);
  const basis = basisOf(shot, removalId, picks, clip.info.frames);
  if (!basis) throw new AppError('not_found', 'The thing whose plate was to be built is gone.');
  const { marks, first, count } = basis;
  const scratch = join(files.scratch, `plate-${id}`);
  await mkdir(scratch, { recursive: true });
  try {
    work.report('decode', 0);
    const frames = await stores.full(await framesBeneath(basis, clip, files), work.signal);
    const filled = picksInOrder(shot.document, picks, removalId).map((take) => take.removalId);
    const drawn = mattesOf(clip, files, removalId, marks, first, count, besideOf(shot.document, removalId, filled));
    const path = join(scratch, 'mattes.raw');
    await drawn.write(path, work.signal);
    const engine = new TakeWork({
      frames,
      mattes: { path, format: drawn.format },
      count,
      settings: FILL_DEFAULTS,
      signal: work.signal,
      onProgress: ({ stage, done }) => work.report(stage, done),
    });
    const wanted = { frame: frame - first, first: (from ?? first) - first, last: (to ?? first + count - 1) - first };
    return await engine.still({ ...wanted, statistic }).finally(() => engine.close());
  } finally {
    await rm(scratch, { recursive: true, force: true });
  }
}

async function layIn({ id, shotId, removalId, name, frame }: Plate, context: JobContext): Promise<void> {
  const shot = (await Shot.findByPk(shotId))!;
  const node = shot.document.removals[removalId] as (typeof shot.document.removals)[string] | undefined;
  if (!node) throw new AppError('not_found', 'The thing whose plate this was to be is gone.');
  const others = (node.settings.sources ?? FILL_DEFAULTS.sources).filter((kind) => kind !== 'plate');
  const path = `/removals/${removalId}/settings`;
  const patch = [
    { op: 'add' as const, path: `${path}/plate`, value: { file: id, frame, name } },
    { op: 'add' as const, path: `${path}/sources`, value: ['plate', ...others] },
  ];
  await commitEdit({ id, shotId }, shot, { label: `Use “${name}”`, patch }, context);
}
