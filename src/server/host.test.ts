import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { ChildProcess } from 'node:child_process';
import { readdirSync, readFileSync } from 'node:fs';
import { Harness } from './testing/harness.ts';

const house = new Harness(7653);
let kept: ChildProcess;

beforeAll(async () => {
  kept = await house.beginKept();
});
afterAll(async () => {
  if (kept?.exitCode === null) await stopped();
  await house.end();
});

/** Asks the program to end. @returns Its exit code. */
function stopped(): Promise<number | null> {
  return new Promise((resolve) => {
    kept.once('exit', resolve);
    kept.kill('SIGTERM');
  });
}

let films = 0;
/** Each is another picture: a file that is there already is not read again. */
const film = (name: string, seconds: number): Buffer =>
  house.film(name, `testsrc2=s=320x180:r=25:d=${seconds},hue=h=${10 * films++}`);

/** Ids of the processes of a part of the running program. */
function processes(part: string): number[] {
  const all = readdirSync('/proc').filter((name) => /^\d+$/.test(name));
  return all.filter((id) => isPart(id, part)).map(Number);
}

/** Whether a process was started by the program, and runs a part of it. */
function isPart(id: string, part: string): boolean {
  try {
    // proc(5): what follows the name in brackets is the state and the parent's id.
    const parent = readFileSync(`/proc/${id}/stat`, 'utf8').split(') ')[1].split(' ')[1];
    return Number(parent) === kept.pid && readFileSync(`/proc/${id}/cmdline`, 'utf8').includes(part);
  } catch {
    // It has ended meanwhile.
    return false;
  }
}

/** Puts a clip in and waits until it is being read. */
async function uploading(name: string): Promise<void> {
  await house.upload(name, film(name, 20));
  await house.until(
    async () => (await house.clips()).find((c) => c.name === name && c.stage === 'proxy'),
    `${name} to be on its way`,
  );
}

describe('the program as a whole', () => {
  it('brings back a server and a worker that died, and what they did ends well', async () => {
    await uploading('killed.mp4');
    const before = ['server/main', 'jobWorker'].map(processes);
    expect(before.map((ids) => ids.length)).toEqual([1, 1]);
    for (const [id] of before) process.kill(id, 'SIGKILL');
    await house.until(() => house.call('GET', '/health').catch(() => undefined), 'the server to be back');
    expect((await house.settled('killed.mp4')).state).toBe('ready');
    expect(processes('jobWorker')).not.toEqual(before[1]);
  });

  it('without its database it says so, and brings it back; what was at work ends well', async () => {
    await uploading('away.mp4');
    // It may be brought back before it can be asked.
    let answer: Response | undefined;
    for (let k = 0; k < 5 && answer?.status !== 503; k++) {
      house.cluster.stop();
      answer = await fetch(`${house.host}/api/clips`);
    }
    expect([answer!.status, ((await answer!.json()) as { code: string }).code]).toEqual([503, 'unavailable']);
    await house.until(
      async () => ((await fetch(`${house.host}/api/clips`)).status === 200 ? true : undefined),
      'the database to be back',
    );
    expect((await house.settled('away.mp4')).state).toBe('ready');
    await house.upload('after.mp4', film('after.mp4', 1));
    expect((await house.settled('after.mp4')).state).toBe('ready');
  });

  it('several who start the database at once all find it there', async () => {
    for (let k = 0; k < 3; k++) {
      house.cluster.stop();
      const starters = Array.from({ length: 3 }, () => house.startDatabase());
      expect(await Promise.all(starters)).toEqual([0, 0, 0]);
    }
  });

  it('ends with all its parts', async () => {
    expect(await stopped()).toBe(0);
    await expect(fetch(`${house.host}/api/health`)).rejects.toThrow();
  });
});
