import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { mkdirSync, rmSync } from 'node:fs';
import { Harness } from './testing/harness.ts';
import { spot, walker } from './testing/marks.ts';
import { walkIn } from './testing/walk.ts';

const house = new Harness(7663);
const walk = walkIn(house);
const { newShot, change, start, finished, takeAt, samplesOf } = walk;

beforeAll(() => walk.begin());
afterAll(() => house.end());

describe('a take', () => {
  const id = randomUUID();
  let undisturbed: ReturnType<typeof samplesOf>;

  beforeAll(async () => {
    const { id: calm } = await finished((await start(await newShot({ [id]: walker() }), id)).id);
    undisturbed = samplesOf(calm);
  });

  it.each(['mattes', 'motion', 'gather', 'finish', 'preview'])(
    'a worker killed at %s is replaced, and the take has the same bits as an undisturbed one',
    async (stage) => {
      const shot = await newShot({ [id]: walker() });
      const take = await takeAt(shot, id, stage);
      await house.kill(house.worker);
      await house.startWorker();
      expect((await finished(take.id)).state).toBe('done');
      expect(samplesOf(take.id)).toEqual(undisturbed);
    },
    180_000,
  );

  const stops = ['decode', 'motion', 'gather', 'finish', 'preview'];
  it.each(stops)(
    'a take stopped at %s ends within seconds, and goes on when asked',
    async (stage) => {
      // A new range, so that its frames have to be decoded.
      const shot = await newShot({ [id]: walker() }, { handleAfter: stops.indexOf(stage) });
      const take = await takeAt(shot, id, stage);
      const asked = Date.now();
      await house.call('POST', `/takes/${take.id}/cancel`);
      const stopped = await finished(take.id);
      expect(Date.now() - asked).toBeLessThan(4000);
      if (stopped.state === 'done') return;
      expect(stopped).toMatchObject({ state: 'cancelled', picked: false });
      await house.call('POST', `/takes/${take.id}/resume`);
      expect((await finished(take.id)).state).toBe('done');
    },
    180_000,
  );

  it('a full disk fails the take with a sentence; the rest lives, and the take goes on when there is room', async () => {
    const shot = await newShot({ [id]: walker() });
    const small = house.at('small');
    mkdirSync(small);
    const mounted = spawnSync('mount', ['-t', 'tmpfs', '-o', 'size=3m', 'tmpfs', small]).status === 0;
    if (!mounted) return console.warn('no small disk could be mounted: the test of a full disk was not run');
    const takes = house.at('data/takes');
    try {
      spawnSync('cp', ['-a', `${takes}/.`, house.at('kept')]);
      rmSync(takes, { recursive: true });
      spawnSync('ln', ['-s', small, takes]);
      const take = await start(shot, id);
      const failed = await finished(take.id);
      expect(failed).toMatchObject({ state: 'failed', error: { code: 'disk_full' } });
      expect(failed.error!.message).toMatch(/room/);
      expect((await house.call('GET', '/clips')).status).toBe(200);
      expect((await change(shot, 1, { [randomUUID()]: spot() })).status).toBe(200);
      spawnSync('mount', ['-o', 'remount,size=300m', small]);
      await house.call('POST', `/takes/${take.id}/resume`);
      expect((await finished(take.id)).state).toBe('done');
    } finally {
      spawnSync('umount', ['-l', small]);
      rmSync(takes, { force: true });
      mkdirSync(takes);
    }
  });
});
