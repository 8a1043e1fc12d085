import { afterAll, afterEach, beforeAll, describe, expect, it } from '@jest/globals';
import { mkdtemp, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { AppError } from '../core/errors.ts';
import { FILL_DEFAULTS } from '../core/fill/settings.ts';
import { createMatteCells } from '../core/image/matteCells.ts';
import { smallFormat } from '../core/testing/frames.ts';
import type { SessionJob } from './engineTasks.ts';
import { EngineThreads, inStretches, threadsFor, type TaskName } from './threads.ts';

const format = smallFormat(16, 16);
let folder: string;
let threads: EngineThreads | undefined;

function job(path: string): SessionJob {
  const cells = createMatteCells(16, 16, 1);
  return { frames: { path, format }, mattes: { format }, cells, settings: FILL_DEFAULTS, sourceBytes: 1e6 };
}
/** Two threads on one small frame. */
function start(path = 'frame.raw', signal?: AbortSignal): EngineThreads {
  return (threads = new EngineThreads(job(join(folder, path)), 2, signal));
}
const NOT_THERE = 'somersault' as TaskName;

beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), 'mnestra-threads-'));
  await writeFile(join(folder, 'frame.raw'), new Uint8Array(256));
});
afterEach(() => threads?.stop());
afterAll(() => rm(folder, { recursive: true, force: true }));

describe('threadsFor', () => {
  it('uses all cores for a film, one for a few small frames, and never none', () => {
    expect(threadsFor(smallFormat(1920, 1080), 300, 8)).toBe(8);
    expect(threadsFor(smallFormat(352, 192), 24, 8)).toBe(1);
    expect(threadsFor(smallFormat(480, 270), 64, 8)).toBe(2);
    expect(threadsFor(smallFormat(1, 1), 1, 8)).toBe(1);
  });
});

describe('threads', () => {
  it('answer whoever asked, more at once than there are of them', async () => {
    const two = start();
    expect(two.count).toBe(2);
    const answers = Array.from({ length: 7 }, () => two.run('linkMovers', []));
    expect(await Promise.all(answers)).toEqual(Array.from({ length: 7 }, () => []));
  });

  it('say what went wrong in a task, and go on', async () => {
    const two = start();
    const failed = await Promise.allSettled([1, 2, 3].map(() => two.run(NOT_THERE, [] as never)));
    for (const f of failed) {
      expect(f).toMatchObject({ status: 'rejected', reason: { code: 'engine_failed' } });
      expect((f as PromiseRejectedResult).reason).toBeInstanceOf(AppError);
    }
    expect(await two.run('linkMovers', [])).toEqual([]);
  });

  it('that cannot begin fail what was asked of them, and all that is asked later', async () => {
    const two = start('nothing.raw');
    await expect(two.run('linkMovers', [])).rejects.toMatchObject({ code: 'ENOENT' });
    await expect(two.run('linkMovers', [])).rejects.toMatchObject({ code: 'ENOENT' });
    await expect(two.all('linkMovers', [])).rejects.toMatchObject({ code: 'ENOENT' });
  });

  it('that are stopped let nobody wait', async () => {
    const two = start();
    const waiting = Promise.allSettled([1, 2, 3, 4].map(() => two.run('linkMovers', [])));
    await two.stop();
    for (const one of await waiting) expect(one).toMatchObject({ status: 'rejected', reason: { code: 'stopped' } });
    await expect(two.run('linkMovers', [])).rejects.toMatchObject({ code: 'stopped' });
    await expect(two.all('linkMovers', [])).rejects.toMatchObject({ code: 'stopped' });
  });

  it('end when their signal says so, with its reason, even before they have begun', async () => {
    const controller = new AbortController();
    const reason = new AppError('cancelled', 'No longer wanted.');
    const waiting = start('frame.raw', controller.signal).run('linkMovers', []);
    controller.abort(reason);
    await expect(waiting).rejects.toBe(reason);
    await expect(start('frame.raw', controller.signal).run('linkMovers', [])).rejects.toBe(reason);
  });

  it('each do what all of them must know', async () => {
    const two = start();
    await two.all('linkMovers', []);
    await expect(two.all(NOT_THERE, [] as never)).rejects.toMatchObject({ code: 'engine_failed' });
  });
});

describe('work in stretches', () => {
  it('comes back in order, however it ends, and says how much is done', async () => {
    const told: number[] = [];
    const ends: (() => void)[] = [];
    const result = inStretches(
      10,
      4,
      ({ first, last }) =>
        new Promise<number[]>((resolve) => {
          ends.push(() => resolve(Array.from({ length: last - first }, (_, k) => first + k)));
        }),
      (done) => told.push(done),
    );
    for (const k of [2, 0, 1]) {
      ends[k]();
      await Promise.resolve();
    }
    expect(await result).toEqual([0, 1, 2, 3, 4, 5, 6, 7, 8, 9]);
    expect(told).toEqual([0.2, 0.6, 1]);
  });

  it('is none for no frames, and fails as a whole', async () => {
    expect(
      await inStretches(
        0,
        4,
        () => Promise.resolve([1]),
        () => undefined,
      ),
    ).toEqual([]);
    const half = inStretches(
      8,
      4,
      ({ first }) => (first === 4 ? Promise.reject(new Error('no')) : Promise.resolve([])),
      () => undefined,
    );
    await expect(half).rejects.toThrow('no');
  });
});
