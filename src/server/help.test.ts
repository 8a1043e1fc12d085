import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { ChildProcess } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { readdirSync, readFileSync } from 'node:fs';
import type { ShotView } from '../contract/shots.ts';
import { Harness, sleep } from './testing/harness.ts';
import { walker } from './testing/marks.ts';
import { walkIn } from './testing/walk.ts';

const house = new Harness(7643);
const { begin, newShot, start, takeNow, finished, samplesOf } = walkIn(house);
const id = randomUUID();
let shot: ShotView;
let alone: string[];
let second: ChildProcess;

beforeAll(async () => {
  await begin();
  shot = await newShot({ [id]: walker() });
  alone = samplesOf((await finished((await start(shot, id)).id)).id);
  const first = house.worker;
  await house.startWorker();
  [second, house.worker] = [house.worker, first];
});
afterAll(async () => {
  if (second.exitCode === null && second.signalCode === null) await house.kill(second);
  await house.end();
});

/** Processes that hold a claim on a part of a take now. */
function holders(take: string): number[] {
  const folder = house.at(`data/takes/${take}`);
  try {
    const claims = readdirSync(folder).filter((name) => name.endsWith('.claim'));
    return claims.map((name) => Number(readFileSync(`${folder}/${name}`, 'utf8').split(' ')[1]));
  } catch {
    return [];
  }
}

/** Looks on until a take is over or enough has been seen. @returns All who worked on it so far. */
async function watch(take: string, enough: (seen: Set<number>) => boolean): Promise<Set<number>> {
  const seen = new Set<number>();
  for (let state = 'queued'; isBusy(state) && !enough(seen); state = (await takeNow(take)).state) {
    for (let i = 0; i < 20; i++) {
      holders(take).forEach((pid) => pid > 0 && seen.add(pid));
      await sleep(3);
    }
  }
  return seen;
}

/** Longer than a worker may be silent (`jobs/queue.ts`). */
const FORGOTTEN_MS = 7000;

/** How often the takes in the queue have been begun. */
const attempts = (): unknown =>
  house.script(`
    const database = openDatabase(config.databaseUrl);
    const [rows] = await database.query("SELECT attempts FROM graphile_worker.jobs WHERE task_identifier = 'take'");
    await database.close();
    return rows.map((r) => r.attempts);`);

const isBusy = (state: string): boolean => state === 'queued' || state === 'running';
const both = (seen: Set<number>): boolean => seen.size === 2;

describe('two workers', () => {
  it('compute one take together, to the same bits', async () => {
    const take = await start(shot, id);
    const seen = await watch(take.id, both);
    expect([...seen].sort()).toEqual([house.worker.pid!, second.pid!].sort());
    const end = await finished(take.id);
    expect(end).toMatchObject({ state: 'done', error: null });
    expect(samplesOf(take.id)).toEqual(alone);
  });

  it.each([0, 1])(
    'one is killed while both work (%s): the other ends the take, to the same bits',
    async (which) => {
      const take = await start(shot, id);
      await watch(take.id, both);
      // Whichever leads, and whichever helps.
      const [victim, left] = which === 0 ? [house.worker, second] : [second, house.worker];
      await house.kill(victim);
      expect((await finished(take.id)).state).toBe('done');
      expect(samplesOf(take.id)).toEqual(alone);
      house.worker = left;
      await house.startWorker();
      [second, house.worker] = [house.worker, left];
    },
    60_000,
  );

  it('who comes in the middle of a take helps with it, and does not take who stands still for dead', async () => {
    await house.kill(second);
    // Until the dead one is forgotten: it must not be asked in the newcomer's place.
    await sleep(FORGOTTEN_MS);
    const take = await start(shot, id);
    await watch(take.id, (seen) => seen.size === 1);
    // However quick this machine is, something is left for the newcomer.
    const first = house.worker;
    first.kill('SIGSTOP');
    await house.startWorker();
    [second, house.worker] = [house.worker, first];
    await sleep(FORGOTTEN_MS);
    expect([(await takeNow(take.id)).state, attempts()]).toEqual(['running', [1]]);
    first.kill('SIGCONT');
    const seen = await watch(take.id, both);
    expect([...seen].sort()).toEqual([first.pid!, second.pid!].sort());
    expect((await finished(take.id)).state).toBe('done');
    expect(samplesOf(take.id)).toEqual(alone);
  });

  it('a take that is stopped is stopped for both', async () => {
    const take = await start(shot, id);
    await watch(take.id, both);
    await house.call('POST', `/takes/${take.id}/cancel`);
    expect((await finished(take.id)).state).toBe('cancelled');
    await house.until(() => Promise.resolve(holders(take.id).length === 0 ? true : undefined), 'both to stop');
    await house.call('POST', `/takes/${take.id}/resume`);
    expect((await finished(take.id)).state).toBe('done');
    expect(samplesOf(take.id)).toEqual(alone);
  });
});
