import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readdirSync, rmSync, utimesSync, writeFileSync } from 'node:fs';
import { hostname, tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as delay } from 'node:timers/promises';
import { SharedParts, type Part } from './parts.ts';

let folder: string;
const at = (name: string): string => join(folder, name);

beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'mnestra-parts-'));
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));

/** Squares of 0, 1, 2 …, each after some ms; who computed what is noted. */
function squares(count: number, ms: number, noted: number[]): Part<number>[] {
  return Array.from({ length: count }, (_, k) => ({
    name: `square-${k}`,
    compute: async () => {
      noted.push(k);
      await delay(ms);
      return k * k;
    },
  }));
}

describe('parts of a work in a folder', () => {
  it('come in order, are kept, and are not computed again', async () => {
    const [first, again]: number[][] = [[], []];
    let done = 0;
    const results = await new SharedParts(folder, 3).all(squares(7, 5, first), () => done++);
    expect(results).toEqual([0, 1, 4, 9, 16, 25, 36]);
    expect(done).toBe(7);
    expect(await new SharedParts(folder, 3).all(squares(7, 5, again))).toEqual(results);
    expect([first.length, again.length]).toEqual([7, 0]);
    expect(readdirSync(folder).every((name) => name.endsWith('.bin'))).toBe(true);
  });

  it('are computed at most so many at a time', async () => {
    let [now, most] = [0, 0];
    const parts = squares(8, 0, []).map(({ name }) => ({
      name,
      compute: async () => {
        most = Math.max(most, ++now);
        await delay(10);
        now--;
      },
    }));
    await new SharedParts(folder, 3).all(parts);
    expect(most).toBe(3);
  });

  it('are shared by all who work on them: each is computed once, and all get everything', async () => {
    const noted: number[][] = [[], [], []];
    const answers = await Promise.all(noted.map((n) => new SharedParts(folder, 2).all(squares(20, 20, n))));
    for (const answer of answers) expect(answer).toEqual(Array.from({ length: 20 }, (_, k) => k * k));
    expect(noted.flat().sort((a, b) => a - b)).toEqual([...Array(20).keys()]);
    for (const n of noted) expect(n.length).toBeGreaterThan(2);
  });

  it('a part that fails is free for others, and whoever failed stops', async () => {
    const parts = squares(6, 5, []);
    const broken = parts.map((p, k) => (k === 2 ? { ...p, compute: () => Promise.reject(new Error('broken')) } : p));
    await expect(new SharedParts(folder, 1).all(broken)).rejects.toThrow('broken');
    expect(existsSync(at('square-3.bin'))).toBe(false);
    expect(await new SharedParts(folder, 1).all(parts)).toEqual([0, 1, 4, 9, 16, 25]);
  });
});

describe('a claim', () => {
  const claim = (holder: string): void => writeFileSync(at('square-1.claim'), holder);
  const run = (noted: number[], deadAfter: number, signal?: AbortSignal): Promise<number[]> =>
    new SharedParts(folder, 2, signal, deadAfter).all(squares(3, 1, noted));

  it('of a process of this host that is gone is taken away at once', async () => {
    const { pid } = spawnSync('true');
    claim(`${hostname()} ${pid} x`);
    const noted: number[] = [];
    expect(await run(noted, 3600_000)).toEqual([0, 1, 4]);
    expect(noted).toContain(1);
  });

  it('of an earlier process that had our number is taken away at once', async () => {
    claim(`${hostname()} ${process.pid} x`);
    expect(await run([], 3600_000)).toEqual([0, 1, 4]);
  });

  it('of another host is taken away once it is not touched any more, and not before', async () => {
    claim('elsewhere 1 x');
    const noted: number[] = [];
    const running = run(noted, 400);
    for (let i = 0; i < 10; i++) {
      await delay(100);
      utimesSync(at('square-1.claim'), i + 1, i + 1);
    }
    expect(noted).toEqual([0, 2]);
    expect(await running).toEqual([0, 1, 4]);
    expect(noted).toEqual([0, 2, 1]);
  });

  it('of one who lives is waited for, and its result taken', async () => {
    const slow: Part<number>[] = [{ name: 'square-1', compute: () => delay(500, 1) }];
    const noted: number[] = [];
    const [other, own] = await Promise.all([new SharedParts(folder, 1).all(slow), run(noted, 3600_000)]);
    expect([other, own]).toEqual([[1], [0, 1, 4]]);
    expect(noted).toEqual([0, 2]);
  });

  it('that does not end is waited for until the work is stopped', async () => {
    claim('elsewhere 1 x');
    const stop = new AbortController();
    const running = run([], 3600_000, stop.signal);
    setTimeout(() => stop.abort(new Error('stopped')), 200);
    await expect(running).rejects.toThrow();
    expect(readdirSync(folder).filter((name) => name.endsWith('.claim'))).toEqual(['square-1.claim']);
  });
});
