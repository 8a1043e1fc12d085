import { Take } from '../store/take.ts';
import { lookOften, type JobContext } from './runWork.ts';
import { engineOf, tidy } from './takeEngine.ts';

/**
 * Computes parts of a take that another worker leads, until nothing of it is left or it is over. Progress, end and failure are the
 * leader's to tell: it goes on without help.
 */
export async function runHelp(id: string, context: JobContext): Promise<void> {
  const take = await Take.findByPk(id);
  if (take?.state !== 'running') return;
  const over = new AbortController();
  const looks = lookOften(async () => {
    if ((await Take.findByPk(id))?.state !== 'running') over.abort();
  });
  const signal = AbortSignal.any([context.signal, over.signal]);
  try {
    const engine = await engineOf(take, context, { signal, report: () => undefined });
    await engine.fill().finally(() => engine.close());
  } catch (error) {
    // The leader may tidy what this one was about to read.
    const { code } = error as NodeJS.ErrnoException;
    if (!signal.aborted && code !== 'ENOENT') process.stderr.write(`help with take ${id}: ${String(error)}\n`);
  } finally {
    await looks.end();
  }
  // What this one wrote while the leader tidied up.
  if ((await Take.findByPk(id))?.state === 'done') await tidy(id, context.files);
}
