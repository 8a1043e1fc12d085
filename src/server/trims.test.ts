import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { randomUUID } from 'node:crypto';
import type { ShotState, ShotView } from '../contract/shots.ts';
import type { TakeView } from '../contract/takes.ts';
import { NO_TRIM } from '../core/fill/trim.ts';
import { Harness } from './testing/harness.ts';
import { walker } from './testing/marks.ts';
import { FRAME, raw, W, walkIn } from './testing/walk.ts';

const house = new Harness(7623);
const walk = walkIn(house);
const { newShot, start, takeNow, finished, exported, samplesOf } = walk;

beforeAll(() => walk.begin());
afterAll(() => house.end());

describe('a take', () => {
  const id = randomUUID();
  let shot: ShotView;
  let take: TakeView;

  it('is trimmed by hand without being computed again: in its pictures, its playable copy and its exports', async () => {
    shot = await newShot({ [id]: walker() });
    take = await finished((await start(shot, id)).id);
    const { revision } = (await house.call<ShotState>('GET', `/shots/${shot.id}`)).body;
    const before = samplesOf(take.id);
    const plain = raw((await exported(shot, { kind: 'ffv1' })).path, 'yuv420p');
    const trim = { 40: { ease: 'linear', ...NO_TRIM, exposure: 1 }, 20: { ease: 'linear', ...NO_TRIM } };
    await house.call('POST', `/shots/${shot.id}/edits`, {
      editId: randomUUID(),
      base: revision,
      label: 'Trim',
      patch: [{ op: 'add', path: `/removals/${id}/trim`, value: trim }],
    });
    const trimmed = await takeNow(take.id);
    expect(trimmed).toMatchObject({ stale: false, playable: false, trims: expect.stringMatching(/^[0-9a-f]{16}$/) });

    // Pictures and copies under the name of other trims are not given out.
    const picture = (trims: string): Promise<Response> => fetch(`${house.host}/api/takes/${take.id}/frames/40${trims}`);
    expect([(await picture('')).status, (await picture('?trims=0123456789abcdef')).status]).toEqual([409, 409]);
    expect((await picture(`?trims=${trimmed.trims}`)).status).toBe(200);
    expect((await fetch(`${house.host}/api/takes/${take.id}/proxy?trims=${trimmed.trims}`)).status).toBe(409);
    await house.call('POST', `/takes/${take.id}/preview`);
    await house.until(async () => ((await takeNow(take.id)).playable ? true : undefined), 'the playable copy');
    expect((await fetch(`${house.host}/api/takes/${take.id}/proxy?trims=${trimmed.trims}`)).status).toBe(200);

    // Frame 40 has the trim in full, frame 20 none, frame 30 half of it.
    const after = raw((await exported(shot, { kind: 'ffv1' })).path, 'yuv420p');
    const luma = (film: Buffer, frame: number): number =>
      film[(frame - shot.first) * FRAME + 95 * W + Math.round(35 + 3.2 * frame)];
    const [whole, none, half] = [40, 20, 30].map((t) => (luma(after, t) - 16) / (luma(plain, t) - 16));
    expect(whole).toBeCloseTo(2 ** (1 / 2.4), 1);
    expect(none).toBe(1);
    expect(half).toBeCloseTo(2 ** (0.5 / 2.4), 1);
    const corner = (film: Buffer): Buffer => film.subarray(0, W * 20);
    expect(corner(after).equals(corner(plain))).toBe(true);
    expect(samplesOf(take.id)).toEqual(before);

    await house.step(shot.id, 'undo');
    expect(await takeNow(take.id)).toMatchObject({ trims: '', playable: false });
  });
});
