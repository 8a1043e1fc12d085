import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import { AppError } from '../core/errors.ts';
import type { FrameFormat } from '../core/image/format.ts';
import type { EngineSession } from './engineSession.ts';
import type { SessionJob } from './engineTasks.ts';
import { received, type SentError } from './sentError.ts';

/** Names, arguments and results of the tasks that threads do. */
type Tasks = {
  [K in keyof EngineSession]: EngineSession[K] extends (arg: infer A) => infer R ? { arg: A; result: R } : never;
};
export type TaskName = Exclude<keyof Tasks, 'close'>;

export interface ThreadMessage {
  id: number;
  task: TaskName;
  arg: unknown;
}

export interface ThreadReply {
  id: number;
  result?: unknown;
  error?: SentError;
}

const ENTRY = new URL(
  import.meta.url.includes('/dist/') ? '../workers/engineThread.js' : '../../dist/src/workers/engineThread.js',
  import.meta.url,
);

interface Thread {
  worker: Worker;
  busy: boolean;
}

interface Waiting {
  message: ThreadMessage;
  resolve: (value: unknown) => void;
  reject: (reason: unknown) => void;
}

/** Px of frames that are worth a thread: one costs seconds until its code is compiled, about what it then does for so many. */
const PX_PER_THREAD = 6e6;

/** How many threads finish a piece of work soonest: all cores, but for little work. */
export function threadsFor({ width, height }: FrameFormat, count: number, cores = availableParallelism()): number {
  return Math.max(1, Math.min(cores, Math.ceil((width * height * count) / PX_PER_THREAD)));
}

/** Worker threads with an engine session each. Tasks go to whichever is free. */
export class EngineThreads {
  private readonly threads: Thread[];
  private readonly queue: Waiting[] = [];
  private readonly running = new Map<number, Waiting & { thread: Thread }>();
  private next = 0;
  private failure: unknown;

  /** @param signal - When it is aborted all threads stop, and what was asked of them is rejected with its reason. */
  constructor(
    job: SessionJob,
    count: number,
    private readonly signal?: AbortSignal,
  ) {
    this.threads = Array.from({ length: count }, () => {
      const thread: Thread = { worker: new Worker(ENTRY, { workerData: job }), busy: false };
      thread.worker.on('message', (reply: ThreadReply) => this.settle(reply));
      thread.worker.on('error', (error) => this.fail(error));
      return thread;
    });
    signal?.addEventListener('abort', this.abort, { once: true });
    if (signal?.aborted) this.abort();
  }

  private readonly abort = (): void => void this.stop(this.signal?.reason);

  get count(): number {
    return this.threads.length;
  }

  run<K extends TaskName>(task: K, arg: Tasks[K]['arg']): Promise<Tasks[K]['result']> {
    if (this.failure) return Promise.reject(this.failure as Error);
    return new Promise((resolve, reject) => {
      const message = { id: this.next++, task, arg };
      this.queue.push({ message, resolve: resolve as (value: unknown) => void, reject });
      this.dispatch();
    });
  }

  /** Does a task once in every thread: for what each must know. */
  async all<K extends TaskName>(task: K, arg: Tasks[K]['arg']): Promise<void> {
    if (this.failure) throw this.failure as Error;
    await Promise.all(
      this.threads.map(
        (thread) =>
          new Promise((resolve, reject) => {
            this.send(thread, { message: { id: this.next++, task, arg }, resolve, reject });
          }),
      ),
    );
  }

  /** Stops all threads at once; what was asked of them is rejected with `reason`. */
  async stop(reason: unknown = new AppError('stopped', 'The work was stopped.')): Promise<void> {
    this.signal?.removeEventListener('abort', this.abort);
    this.fail(reason);
    await Promise.all(this.threads.map((t) => t.worker.terminate()));
  }

  private dispatch(): void {
    for (const thread of this.threads) {
      if (thread.busy) continue;
      const waiting = this.queue.shift();
      if (!waiting) return;
      this.send(thread, waiting);
    }
  }

  private send(thread: Thread, waiting: Waiting): void {
    thread.busy = true;
    this.running.set(waiting.message.id, { ...waiting, thread });
    thread.worker.postMessage(waiting.message);
  }

  private settle(reply: ThreadReply): void {
    const entry = this.running.get(reply.id);
    if (!entry) return;
    this.running.delete(reply.id);
    entry.thread.busy = false;
    if (reply.error) entry.reject(received(reply.error));
    else entry.resolve(reply.result);
    this.dispatch();
  }

  private fail(reason: unknown): void {
    this.failure ??= reason;
    for (const entry of [...this.running.values(), ...this.queue]) entry.reject(reason);
    this.running.clear();
    this.queue.length = 0;
  }
}

/** Runs `work` over stretches of `length` of so many frames, in parallel, and joins the results in order. */
export async function inStretches<T>(
  count: number,
  length: number,
  work: (range: { first: number; last: number }) => Promise<T[]>,
  onProgress: (done: number) => void,
): Promise<T[]> {
  let done = 0;
  const parts: Promise<T[]>[] = [];
  for (let first = 0; first < count; first += length) {
    const last = Math.min(count, first + length);
    const part = work({ first, last }).then((result) => {
      done += last - first;
      onProgress(done / count);
      return result;
    });
    parts.push(part);
  }
  return (await Promise.all(parts)).flat();
}
