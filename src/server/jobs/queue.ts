import { EventEmitter } from 'node:events';
import {
  Logger,
  makeWorkerUtils,
  run,
  type Runner,
  type TaskList,
  type WorkerEvents,
  type WorkerUtils,
} from 'graphile-worker';
import pg from 'pg';
import type { ServerEvent } from '../../contract/events.ts';
import { runExport } from './exportJob.ts';
import { runFollow } from './followJob.ts';
import { importClip } from './importClip.ts';
import { Heart } from './heart.ts';
import { runHelp } from './helpJob.ts';
import { runMatte } from './matteJob.ts';
import { runPlate } from './plateJob.ts';
import { runPreview } from './previewJob.ts';
import { runReveal } from './revealJob.ts';
import { runSearch } from './searchJob.ts';
import type { JobContext } from './runWork.ts';
import { runTake } from './takeJob.ts';

/** A job fails with a sentence of its own; what the queue tries again is the death of a worker. */
const MOST_ATTEMPTS = 25;
/** Of the queue's jobs, which have 0: whoever can lead a take does that rather than help with another. */
const HELP_PRIORITY = 10;

/** Channel on which a change is told to all servers. */
export const CHANNEL = 'mnestra_events';

export async function openQueue(connectionString: string): Promise<WorkerUtils> {
  const utils = await makeWorkerUtils({ connectionString, logger: quietLogger });
  await utils.migrate();
  return utils;
}

/** Puts work in the queue; asking twice queues it once. */
export const jobs = (utils: WorkerUtils) => ({
  importClip: (id: string) => add(utils, 'import', { id }, `import:${id}`),
  take: (id: string) => add(utils, 'take', { id }, `take:${id}`),
  preview: (id: string) => add(utils, 'preview', { id }, `preview:${id}`),
  reveal: (shotId: string, removalId: string) =>
    add(utils, 'reveal', { shotId, removalId }, `reveal:${shotId}:${removalId}`),
  export: (id: string) => add(utils, 'export', { id }, `export:${id}`),
  follow: (id: string) => add(utils, 'follow', { id }, `follow:${id}`),
  matte: (id: string) => add(utils, 'matte', { id }, `matte:${id}`),
  plate: (id: string) => add(utils, 'plate', { id }, `plate:${id}`),
  search: (id: string) => add(utils, 'search', { id }, `search:${id}`),
});

async function add(utils: WorkerUtils, task: string, payload: object, jobKey: string): Promise<void> {
  await utils.addJob(task, payload, { jobKey, maxAttempts: MOST_ATTEMPTS });
}

/**
 * Runs jobs until stopped: takes, plates and exports one at a time, since each uses all cores; imports, reveals and searches beside them,
 * so that a person need not wait for a take to see what a new mark reveals. Jobs of workers that died are taken over
 * within seconds.
 */
export async function runWorker(
  connectionString: string,
  parts: Pick<JobContext, 'files' | 'stores'>,
): Promise<{ stop(): Promise<void>; ended: Promise<void> }> {
  const pool = new pg.Pool({ connectionString, max: 4 });
  // A dropped connection is replaced at the next use; without a listener it would end the process.
  pool.on('error', () => undefined);
  const stopping = new AbortController();
  const tell = async (event: ServerEvent): Promise<void> => {
    await pool.query('SELECT pg_notify($1, $2)', [CHANNEL, JSON.stringify(event)]);
  };
  const ids = new Set<string>();
  const heart = new Heart(connectionString, pool, ids);
  const context: JobContext = {
    ...parts,
    signal: stopping.signal,
    tell,
    callHelp: async (take, known) => {
      const living = await heart.living(lists.length);
      await callHelp(pool, take, known + 1, living);
      return living;
    },
  };
  const id = (payload: unknown): string => (payload as { id: string }).id;
  const heavy: TaskList = {
    take: (payload) => runTake(id(payload), context),
    help: (payload) => runHelp(id(payload), context),
    export: (payload) => runExport(id(payload), context),
    plate: (payload) => runPlate(id(payload), context),
  };
  const light: TaskList = {
    import: (payload) => importClip(id(payload), context),
    matte: (payload) => runMatte(id(payload), context),
    preview: (payload) => runPreview(id(payload), context),
    search: (payload) => runSearch(id(payload), context),
    reveal: (payload) => {
      const { shotId, removalId } = payload as { shotId: string; removalId: string };
      return runReveal(shotId, removalId, context);
    },
  };
  // Somebody steers a track and looks on: it does not wait for anything.
  const quick: TaskList = { follow: (payload) => runFollow(id(payload), context) };
  await forgetDelays(pool);
  const lists = [heavy, light, quick];
  const runners = await Promise.all(lists.map((list) => runTasks(connectionString, list, ids)));
  heart.start();
  return {
    ended: Promise.race(runners.map((r) => r.promise)),
    async stop() {
      stopping.abort();
      await Promise.all(runners.map((r) => r.stop()));
      await heart.stop();
      await pool.end();
    },
  };
}

/** @param ids - Gets the name under which the tasks' jobs are locked. */
function runTasks(connectionString: string, taskList: TaskList, ids: Set<string>): Promise<Runner> {
  const events: WorkerEvents = new EventEmitter();
  events.on('pool:create', ({ workerPool }) => ids.add(workerPool.id));
  return run({
    events,
    connectionString,
    concurrency: 1,
    noHandleSignals: true,
    pollInterval: 1000,
    logger: quietLogger,
    taskList,
  });
}

/** A wish for help for each of the workers with these numbers; own work of theirs goes before. */
async function callHelp(pool: pg.Pool, id: string, first: number, last: number): Promise<void> {
  if (last < first) return;
  await pool.query(
    `SELECT graphile_worker.add_job('help', json_build_object('id', $1::text), job_key := 'help:' || $1 || ':' || n,
       max_attempts := 1, priority := $2)
     FROM generate_series($3::int, $4::int) n`,
    [id, HELP_PRIORITY, first, last],
  );
}

/** What an earlier worker let go when it was stopped is not left to wait for its turn to be tried again. */
async function forgetDelays(pool: pg.Pool): Promise<void> {
  await pool.query(`
    SELECT graphile_worker.reschedule_jobs(array_agg(id), run_at := now(), attempts := 0)
    FROM graphile_worker.jobs WHERE locked_at IS NULL AND attempts > 0 HAVING count(*) > 0`);
}

/** Only warnings and errors are worth a line. */
const quietLogger = new Logger(() => (level, message) => {
  if (level === 'error' || level === 'warning') process.stderr.write(`${message}\n`);
});
