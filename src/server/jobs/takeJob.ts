import type { TakeResult } from '../../media/take.ts';
import { finishedStretches } from '../../media/takeFiles.ts';
import { Take } from '../store/take.ts';
import { writePreview } from './previewJob.ts';
import { lookOften, runWork, type JobContext, type Weights, type Work } from './runWork.ts';
import { engineOf, layOnFilled, tidy } from './takeEngine.ts';

/** Shares measured on the demo shots; they only feed the bar and the time left. */
const WEIGHTS: Record<'draft' | 'full', Weights> = {
  full: { decode: 10, mattes: 4, motion: 22, reveal: 4, gather: 34, behind: 6, unseen: 4, finish: 12, preview: 10 },
  draft: { decode: 22, mattes: 8, motion: 22, reveal: 4, gather: 14, behind: 4, unseen: 2, finish: 8, preview: 20 },
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
      await layOnFilled(take, context.files);
      const { result, previewTrims } = await compute(take, context, work);
      return { outcome: summary(result, started), previewTrims, picked: await becomesPick(take) };
    },
    () => ({ finished: finishedStretches(folder, take.count) }),
  );
}

/**
 * A first take is the pick by itself, and so is a full one after drafts, and one that was run again since the marks have changed;
 * one of a part of the shot never is.
 */
async function becomesPick(take: Take): Promise<boolean> {
  const { shotId, removalId } = take;
  if (take.only) return false;
  const pick = await Take.findOne({ where: { shotId, removalId, picked: true } });
  if (!pick) return true;
  if (pick.id === take.id) return true;
  const better = pick.draft && !take.draft;
  const newer = pick.draft === take.draft && pick.marksHash !== take.marksHash;
  if (!better && !newer) return false;
  await pick.update({ picked: false });
  return true;
}

async function compute(
  take: Take,
  context: JobContext,
  work: Work,
): Promise<{ result: TakeResult; previewTrims: string }> {
  const engine = await engineOf(take, context, work);
  // Not before the frames have been read: whoever helps reads the same file.
  const result = await withHelp(take.id, context, () => engine.fill()).finally(() => engine.close());
  const previewTrims = await writePreview(take, context, work);
  await tidy(take.id, context.files);
  return { result, previewTrims };
}

/** Has the other workers help with a take while it is computed: those that live, and those that come. */
async function withHelp<T>(id: string, { callHelp }: JobContext, work: () => Promise<T>): Promise<T> {
  let living = await callHelp(id, 1);
  const looks = lookOften(async () => {
    living = await callHelp(id, living);
  });
  return work().finally(() => looks.end());
}

function summary({ frames, motion }: TakeResult, started: number): Take['outcome'] {
  const sum = (key: 'hole' | 'unseen'): number => frames.reduce((total, f) => total + f[key], 0);
  const seconds = (Date.now() - started) / 1000;
  return { hole: sum('hole'), unseen: sum('unseen'), tripod: motion.tripod, seconds };
}
