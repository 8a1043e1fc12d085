import type { ServerEvent } from '../../contract/events.ts';
import { AppError } from '../../core/errors.ts';
import type { Files } from '../files.ts';
import type { FrameStores } from '../services/frameStores.ts';
import { isDatabaseAway } from '../store/away.ts';
import type { WorkRow } from '../store/work.ts';

/** What every job gets. */
export interface JobContext {
  files: Files;
  stores: FrameStores;
  /** Aborted when the worker is to end; the job is then taken up again by the next. */
  signal: AbortSignal;
  tell(event: ServerEvent): Promise<void>;
  /**
   * Asks the workers that have come since help was last called to compute parts of a take, once they have nothing else to do.
   * @param known - How many lived then, this one too. @returns How many live now.
   */
  callHelp(takeId: string, known: number): Promise<number>;
}

/** How often a job looks whether it is to be cancelled, and tells how far it is, ms. */
const LOOK_EVERY = 300;
/** Below this share nothing can be said about the time left. */
const EARLIEST_GUESS = 0.04;

/** Share of the whole that a stage takes, in order of the stages. */
export type Weights = Readonly<Record<string, number>>;

export interface Work {
  signal: AbortSignal;
  /** @param done - Of the stage, 0..1. */
  report(stage: string, done: number): void;
}

const CANCELLED = Symbol('cancelled');

/**
 * Does the work of a row: state, stage, progress and time left are kept in it while the work runs, a wish to cancel is
 * obeyed, and a failure becomes a sentence. Safe to run again for a row whose worker died, or whose database was away.
 *
 * @param extra - Further columns to write with the progress, and with the end.
 */
export async function runWork<R extends WorkRow>(
  row: R,
  context: JobContext,
  weights: Weights,
  changed: () => Promise<void>,
  work: (work: Work) => Promise<Partial<R>>,
  extra: () => Partial<R> = () => ({}),
): Promise<void> {
  if (row.state !== 'queued' && row.state !== 'running') return;
  const stop = new AbortController();
  const signal = AbortSignal.any([context.signal, stop.signal]);
  const clock = new WorkClock(weights);
  const save = async (values: object): Promise<void> => {
    await row.update(values);
    await changed();
  };
  await save({ state: 'running', ...clock.columns() });
  const looks = lookOften(async () => {
    if (await isUnwanted(row)) stop.abort(CANCELLED);
    else if (clock.moved()) await save({ ...clock.columns(), ...extra() });
  });
  try {
    const report = (stage: string, done: number): void => {
      // A new stage is told at once: short ones would never be seen.
      if (clock.set(stage, done)) looks.now();
    };
    const result = await work({ signal, report });
    await looks.end();
    await save({ ...extra(), ...result, state: 'done', stage: '', progress: 1, secondsLeft: null });
  } catch (error) {
    await looks.end();
    if (isForTheNext(error, context)) throw error;
    // Whoever took this for dead, and has done the work meanwhile, may have tidied up under it.
    if (await isDone(row)) return;
    const cancelled = stop.signal.aborted;
    const end = cancelled ? { state: 'cancelled' } : { state: 'failed', error: explainFailure(error) };
    await save({ ...extra(), ...end, secondsLeft: null });
  }
}

/** Whether what stopped a job says nothing of the work: the worker is to end or the database is away, and it is taken up again. */
export function isForTheNext(error: unknown, { signal }: Pick<JobContext, 'signal'>): boolean {
  return signal.aborted || isDatabaseAway(error);
}

/**
 * Looks at a row while its work runs: one look after the other, and none after the end, since a late one would write over
 * what the end has written.
 */
export function lookOften(look: () => Promise<void>): { now(): void; end(): Promise<void> } {
  let looking = Promise.resolve();
  const now = (): void => {
    looking = looking.then(look).catch(() => undefined);
  };
  const timer = setInterval(now, LOOK_EVERY);
  return {
    now,
    end() {
      clearInterval(timer);
      return looking;
    },
  };
}

/** Whether somebody asked for a stop, or took the row away. */
async function isUnwanted(row: WorkRow): Promise<boolean> {
  const now = await asItIs(row);
  return !now || now.cancel;
}

const isDone = async (row: WorkRow): Promise<boolean> => (await asItIs(row))?.state === 'done';

function asItIs(row: WorkRow): Promise<WorkRow | null> {
  const model = row.constructor as unknown as {
    findByPk(id: string, options: object): Promise<WorkRow | null>;
  };
  return model.findByPk(row.id, { attributes: ['id', 'state', 'cancel'] });
}

class WorkClock {
  private readonly started = Date.now();
  private stage = '';
  private progress = 0;
  private told = '';
  /** What was there already when the work was taken up does not count for its speed. */
  private firstProgress: number | undefined;

  constructor(private readonly weights: Weights) {
    this.stage = Object.keys(weights)[0];
  }

  /** @returns Whether the stage is another than before. */
  set(stage: string, done: number): boolean {
    const changed = stage !== this.stage;
    let before = 0;
    let total = 0;
    let reached = false;
    for (const [name, weight] of Object.entries(this.weights)) {
      total += weight;
      if (name === stage) reached = true;
      else if (!reached) before += weight;
    }
    this.stage = stage;
    this.progress = Math.min(1, (before + (this.weights[stage] ?? 0) * done) / total);
    this.firstProgress ??= this.progress;
    return changed;
  }

  moved(): boolean {
    return this.told !== `${this.stage} ${this.progress}`;
  }

  columns(): { stage: string; progress: number; secondsLeft: number | null } {
    this.told = `${this.stage} ${this.progress}`;
    const gained = this.progress - (this.firstProgress ?? 0);
    const elapsed = (Date.now() - this.started) / 1000;
    const left = gained > EARLIEST_GUESS ? (elapsed * (1 - this.progress)) / gained : null;
    return { stage: this.stage, progress: this.progress, secondsLeft: left };
  }
}

/** A failure as a sentence with a next step, and the log behind it. */
export function explainFailure(error: unknown): { code: string; message: string; log?: string } {
  const { code = '', message = String(error), stack } = error as { code?: string; message?: string; stack?: string };
  if (code === 'ENOSPC' || /ENOSPC|No space left/i.test(message)) {
    return {
      code: 'disk_full',
      message:
        'The disk is full. Make room, for instance by deleting takes (they go for good after a while), and go on: what was finished is kept.',
    };
  }
  if (error instanceof AppError && code !== 'engine_failed') {
    const log = error.details.log ?? error.details.stack;
    return { code, message: error.message, log: log === undefined ? undefined : String(log) };
  }
  return {
    code: 'work_failed',
    message: 'The work stopped with a fault of ours. Try again; if it fails again, its log helps to find out why.',
    log: stack ?? message,
  };
}
