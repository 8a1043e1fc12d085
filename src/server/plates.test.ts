import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import type { ErrorBody } from '../contract/errors.ts';
import type { PlateView } from '../contract/plates.ts';
import type { ShotState, ShotView } from '../contract/shots.ts';
import { Harness } from './testing/harness.ts';
import { walker } from './testing/marks.ts';
import { FRAME, H, raw, W, walkIn } from './testing/walk.ts';

const house = new Harness(7633);
const walk = walkIn(house);
const { newShot, start, finished, exported } = walk;
const id = randomUUID();
let shot: ShotView;

beforeAll(async () => {
  await walk.begin();
  shot = await newShot({ [id]: walker() });
});
afterAll(() => house.end());

const settings = async () =>
  (await house.call<ShotState>('GET', `/shots/${shot.id}`)).body.document.removals[id].settings;
const making = async (): Promise<PlateView[]> =>
  (await house.call<PlateView[]>('GET', `/shots/${shot.id}/plates`)).body;
const build = (body: object) =>
  house.call<PlateView>('POST', `/shots/${shot.id}/plates`, { removalId: id, frame: 36, statistic: 'mean', ...body });
/** The plate in use, once it is that. */
const used = (name: string) =>
  house.until(async () => {
    const { plate } = await settings();
    return plate?.name === name ? plate : undefined;
  }, `the plate ${name}`);
const failed = (name: string) =>
  house.until(
    async () => (await making()).find((p) => p.name === name && p.state === 'failed'),
    `the failure of ${name}`,
  );

async function download(file: string, kind: string): Promise<string> {
  const response = await fetch(`${house.host}/api/plates/${file}/picture/${kind}`);
  expect(response.status).toBe(200);
  const path = house.at(`${file}.${kind}`);
  writeFileSync(path, new Uint8Array(await response.arrayBuffer()));
  return path;
}

/** Mean luma of a 6x6 place of a frame of the clean shot, there where the box was. */
async function lumaWhereTheBoxWas(frame: number): Promise<number> {
  const film = raw((await exported(shot, { kind: 'ffv1' })).path, 'yuv420p');
  const [x, y] = [Math.round(35 + 3.2 * frame), 95];
  let sum = 0;
  for (let b = 0; b < 6; b++)
    for (let a = 0; a < 6; a++) sum += film[(frame - shot.first) * FRAME + (y + b) * W + x + a];
  return sum / 36;
}

async function fillAgain(): Promise<void> {
  const take = await finished((await start(shot, id)).id);
  expect(take).toMatchObject({ state: 'done' });
  await house.call('PATCH', `/takes/${take.id}`, { picked: true });
}

describe('a plate', () => {
  it('is built from the shot, and becomes the first source; one undo takes it back', async () => {
    expect((await build({})).status).toBe(202);
    const plate = await used('Plate of frame 36');
    expect(plate).toMatchObject({ frame: 36 });
    expect((await settings()).sources).toEqual(['plate', 'frames', 'texture']);
    expect(await making()).toEqual([]);
    await house.step(shot.id, 'undo');
    expect(await settings()).not.toHaveProperty('plate');
    await house.step(shot.id, 'redo');
    expect((await settings()).plate).toEqual(plate);
  });

  it('shows the ground without the box, as a picture of 16 bit', async () => {
    const { file } = (await settings()).plate!;
    const picture = raw(await download(file, 'tif'), 'rgba64le');
    expect(picture.length).toBe(W * H * 8);
    // The box was red: 200 and more, with next to nothing of green.
    const [x, y] = [Math.round(35 + 3.2 * 36), 95];
    const at = (c: number): number => picture.readUInt16LE((y * W + x) * 8 + 2 * c) / 257;
    expect([at(1) > 40, at(0) < 200, at(3)]).toEqual([true, true, 255]);
    const small = raw(await download(file, 'small'), 'rgba');
    expect(small.length).toBeGreaterThan(1000);
  });

  it('fills, and what is painted into it and brought back is filled instead', async () => {
    await fillAgain();
    const clean = await lumaWhereTheBoxWas(20);
    const { file } = (await settings()).plate!;
    const painted = house.at('painted.png');
    const paint = ['-vf', 'drawbox=x=0:y=0:w=iw:h=ih:color=white:t=fill', '-frames:v', '1', '-pix_fmt', 'rgba64be'];
    expect(
      spawnSync('ffmpeg', ['-loglevel', 'error', '-y', '-i', await download(file, 'png'), ...paint, painted]).status,
    ).toBe(0);
    await house.upload('painted.png', readFileSync(painted), { shot: shot.id, removal: id, frame: '36' });
    expect(await used('painted.png')).toMatchObject({ frame: 36 });
    // Its own light is held, so that white stays white.
    const { revision } = (await house.call<ShotState>('GET', `/shots/${shot.id}`)).body;
    await house.call('POST', `/shots/${shot.id}/edits`, {
      editId: randomUUID(),
      base: revision,
      label: 'Hold the light',
      patch: [{ op: 'replace', path: `/removals/${id}/settings/light`, value: 0 }],
    });
    await fillAgain();
    expect(clean).toBeLessThan(190);
    expect(await lumaWhereTheBoxWas(20)).toBeGreaterThan(225);
  });

  it('of a picture that is none, or not as large as a frame, is refused with a sentence, and nothing is left', async () => {
    const about = { shot: shot.id, removal: id, frame: '30' };
    await house.upload('text.png', Buffer.from('no picture at all'), about);
    expect((await failed('text.png')).error).toMatchObject({ code: 'not_picture' });
    const size = ['-f', 'lavfi', '-i', 'color=red:s=64x64', '-frames:v', '1', house.at('small.png')];
    expect(spawnSync('ffmpeg', ['-loglevel', 'error', '-y', ...size]).status).toBe(0);
    await house.upload('small.png', readFileSync(house.at('small.png')), about);
    const row = await failed('small.png');
    expect(row.error).toMatchObject({
      code: 'plate_size',
      message: expect.stringContaining('64x64, the footage 320x180'),
    });
    expect(existsSync(house.at(`data/plates/${row.id}.bin`))).toBe(false);
    for (const { id: gone } of await making()) await house.call('POST', `/plates/${gone}/dismiss`);
    expect(await making()).toEqual([]);
    expect((await settings()).plate?.name).toBe('painted.png');
  });

  it('is refused at frames that the shot does not have, and for things that are not there', async () => {
    expect((await build({ frame: 400 })).body).toMatchObject({ code: 'bad_range' } satisfies Partial<ErrorBody>);
    expect((await build({ first: 20, last: 900 })).status).toBe(400);
    expect((await build({ first: 20 })).status).toBe(400);
    expect((await build({ removalId: randomUUID() })).status).toBe(404);
    await expect(house.createUpload('p.png', 10, { shot: shot.id, removal: id, frame: 'x' })).rejects.toThrow('404');
    await expect(house.createUpload('p.png', 10, { shot: shot.id, removal: id, frame: '999' })).rejects.toThrow('400');
    expect((await house.call('GET', `/plates/${randomUUID()}/picture/png`)).status).toBe(404);
    expect((await house.call('GET', `/plates/${id}/picture/exr`)).status).toBe(400);
  });
});
