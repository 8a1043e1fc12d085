import { join } from 'node:path';
import { LIMITS, newRemoval, type MatteNode, type RemovalNode } from '../../contract/document.ts';
import { workRange } from '../../contract/shots.ts';
import { AppError } from '../../core/errors.ts';
import { shownSize } from '../../media/probe.ts';
import { readMatte } from '../../media/readMatte.ts';
import { dropUpload } from '../services/mattes.ts';
import { clipInfo, Clip } from '../store/clip.ts';
import { Matte } from '../store/matte.ts';
import { Shot, shotView } from '../store/shot.ts';
import { commitEdit } from './commitEdit.ts';
import { softenOutline } from './softenOutline.ts';
import { runWork, type JobContext } from './runWork.ts';

/**
 * Reads a matte that was uploaded, and lays it into the document as a removal of its own, used as it is; or makes one of an
 * outline that is there.
 */
export async function runMatte(id: string, context: JobContext): Promise<void> {
  const row = await Matte.findByPk(id);
  if (!row) return;
  const { files } = context;
  const changed = (): Promise<void> => context.tell({ kind: 'matte', id, shotId: row.shotId });
  await runWork(row, context, { decode: 60, mattes: 40 }, changed, async (work) => {
    const shot = (await Shot.findByPk(row.shotId, { paranoid: false }))!;
    const clip = (await Clip.findByPk(shot.clipId, { paranoid: false }))!;
    if (row.outline) {
      await softenOutline(row, shot, clip, context, work);
      return {};
    }
    const count = await readMatte({
      path: join(files.incoming, row.upload!),
      ...shownSize(clipInfo(clip)),
      out: files.matte(id),
      scratch: join(files.scratch, `matte-${id}`),
      onProgress: work.report,
      signal: work.signal,
    });
    await layIn(row, count, clipInfo(clip).frames, context);
    return {};
  });
  if (!context.signal.aborted) await dropUpload(files, row);
}

async function layIn(row: Matte, count: number, clipFrames: number, context: JobContext): Promise<void> {
  const shot = (await Shot.findByPk(row.shotId))!;
  const { removals } = shot.document;
  if (Object.keys(removals).length >= LIMITS.removals) {
    throw new AppError(
      'too_many',
      `A shot has at most ${LIMITS.removals} things. Delete one, and bring the matte in again.`,
    );
  }
  const matte: MatteNode = { file: row.id, count, start: startOf(count, shot, clipFrames), pace: 1 };
  const name = row.name.replace(/\.[^.]*$/, '').slice(0, 60) || 'Matte';
  const removal: RemovalNode = {
    ...newRemoval(removals, name),
    featherOut: 0,
    shapes: { [row.id]: { name: 'Matte', rank: 1, kind: 'matte', operation: 'add', matte, keys: {} } },
  };
  const patch = [{ op: 'add' as const, path: `/removals/${row.id}`, value: removal }];
  await commitEdit(row, shot, { label: `Bring in “${name}”`, patch }, context);
}

/** Where a matte of so many frames most likely begins: with the clip, with the shot's handles, else at the shot's in. */
function startOf(count: number, shot: Shot, clipFrames: number): number {
  if (count === clipFrames) return 0;
  const work = workRange(shotView(shot), clipFrames);
  return count === work.count ? work.first : shot.first;
}
