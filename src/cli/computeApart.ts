import { fork } from 'node:child_process';
import { once } from 'node:events';
import { AppError } from '../core/errors.ts';
import { received, type SentError } from '../media/sentError.ts';
import type { Progress, TakeResult, WorkOptions } from '../media/take.ts';

/** What another process can be told of the work. */
export type ApartOptions = Omit<WorkOptions, 'signal' | 'onProgress'>;

export type ToProcess = { options: ApartOptions } | 'stop';

export type FromProcess = { progress: Progress } | { result: TakeResult } | { error: SentError };

const ENTRY = new URL('./takeProcess.js', import.meta.url);
/**
 * The engine's threads keep all cores busy: helpers that collect garbage and compile beside them would take a sixth of the time, and save
 * next to none.
 */
const NO_HELPERS = ['--single-threaded-gc', '--no-concurrent-recompilation'];

/**
 * Computes a take in a process of its own. What it needed is free when it has ended: of a large picture the lossless encoder alone
 * takes more than a gibibyte after that, and memory that was in pieces is not given back before the end of a process.
 *
 * @throws AppError as {@link TakeWork.fill}; `program_stopped` if the system ended the process. The signal's reason if it is aborted.
 */
export async function computeApart({ signal, onProgress, ...options }: WorkOptions): Promise<TakeResult> {
  signal?.throwIfAborted();
  const child = fork(ENTRY, { serialization: 'advanced', execArgv: [...process.execArgv, ...NO_HELPERS] });
  const tell = (message: ToProcess): void => void (child.connected && child.send(message));
  const stop = (): void => tell('stop');
  signal?.addEventListener('abort', stop, { once: true });
  let answer: Exclude<FromProcess, { progress: Progress }> | undefined;
  child.on('message', (message: FromProcess) => {
    if ('progress' in message) onProgress?.(message.progress);
    else answer = message;
  });
  try {
    // What it has said last may come after it has ended.
    const ended = Promise.all([once(child, 'exit'), once(child, 'disconnect')]);
    tell({ options });
    const [[, by]] = (await ended) as [[number | null, NodeJS.Signals | null], unknown];
    signal?.throwIfAborted();
    if (!answer) throw new AppError('program_stopped', stopped(by));
    if ('error' in answer) throw received(answer.error);
    return answer.result;
  } finally {
    signal?.removeEventListener('abort', stop);
  }
}

const stopped = (by: NodeJS.Signals | null): string =>
  `The computation was stopped before its end${by ? ` (${by})` : ''}: memory is short. Close what is not needed, or set MNESTRA_MEMORY_MIB to less.`;
