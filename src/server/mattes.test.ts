import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { createHash, randomUUID } from 'node:crypto';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import type { ErrorBody } from '../contract/errors.ts';
import { RECT_HEADER, type MatteView } from '../contract/mattes.ts';
import type { ShotState, ShotView } from '../contract/shots.ts';
import type { ExportView, RevealView } from '../contract/takes.ts';
import { Harness } from './testing/harness.ts';

const FRAMES = 30;
const [W, H] = [320, 180];
const house = new Harness(7617);
let shot: ShotView;

beforeAll(async () => {
  await house.begin();
  const ground = `nullsrc=s=420x180:r=25:d=1.2,geq=lum='120+40*sin(X/3)*cos(Y/5)':cb=120:cr=130,noise=alls=60:all_seed=3`;
  await house.upload('ground.mp4', house.film('ground.mp4', `${ground},gblur=sigma=1.5,crop=${W}:${H}:x='2*n':y=0`));
  const { id: clipId } = await house.settled('ground.mp4');
  const body = { clipId, name: 'Ground', first: 5, last: 24, handleBefore: 3, handleAfter: 3 };
  shot = (await house.call<ShotView>('POST', '/shots', body)).body;
});
afterAll(() => house.end());

/** A white box of 40 x 50 px at (20 + 4·n, 60), as a lossless grey film. */
function film(name: string, frames: number, size = `${W}x${H}`): Buffer {
  const graph = `nullsrc=s=${size}:r=25:d=${frames / 25},format=gray,geq=lum='255*between(X,20+4*N,59+4*N)*between(Y,60,109)'`;
  const args = ['-nostdin', '-loglevel', 'error', '-y', '-f', 'lavfi', '-i', graph];
  expect(spawnSync('ffmpeg', [...args, '-c:v', 'ffv1', '-pix_fmt', 'gray', house.at(name)]).status).toBe(0);
  return readFileSync(house.at(name));
}

const stateOf = async (): Promise<ShotState> => (await house.call<ShotState>('GET', `/shots/${shot.id}`)).body;
const reading = async (): Promise<MatteView[]> =>
  (await house.call<MatteView[]>('GET', `/shots/${shot.id}/mattes`)).body;
const broughtIn = (name: string) =>
  house.until(
    async () => Object.entries((await stateOf()).document.removals).find(([, r]) => r.name === name),
    'the matte',
  );

describe('a matte', () => {
  it('is read, lies in the document as a removal that is used as it is, and can be taken back', async () => {
    await house.upload('from in to out.mkv', film('m.mkv', 20), { shot: shot.id });
    const [id, removal] = await broughtIn('from in to out');
    expect(removal).toMatchObject({ grow: 0, featherIn: 0, featherOut: 0 });
    const [shape] = Object.values(removal.shapes);
    // Of twenty frames, as the shot has from in to out: it begins with them.
    expect(shape).toMatchObject({ kind: 'matte', matte: { file: id, count: 20, start: 5, pace: 1 }, keys: {} });
    // The edit comes before the reading is done, and its file is taken away last.
    const uploads = (): string[] => readdirSync(house.at('data/incoming')).filter((n) => !n.startsWith('.'));
    await house.until(async () => (await reading()).length === 0 && uploads().length === 0, 'the end of the reading');
    const frame = await fetch(`${house.host}/api/mattes/${id}/frames/3`);
    expect(frame.headers.get(RECT_HEADER)).toBe('32,60,40,50');
    expect(new Uint8Array(await frame.arrayBuffer())).toEqual(new Uint8Array(2000).fill(255));
    expect((await stateOf()).undo).toBe('Bring in “from in to out”');
    await house.step(shot.id, 'undo');
    expect((await stateOf()).document.removals).toEqual({});
    await house.step(shot.id, 'redo');
  });

  it('is what the shot looks behind, and comes out as it came in', async () => {
    const [id] = await broughtIn('from in to out');
    const reveal = await house.until(async () => {
      const { body } = await house.call<RevealView>('GET', `/shots/${shot.id}/reveals/${id}`);
      return body.state === 'working' ? undefined : body;
    }, 'the reveal');
    // The cells of the reveal's map may reach a px or two beyond the box.
    const holes = reveal.data!.frames.map((f) => f.hole);
    expect(holes.filter((h) => h > 0)).toHaveLength(20);
    expect(holes[5 - reveal.data!.first]).toBeGreaterThanOrEqual(2000);
    const hash = (path: string): string => {
      const args = ['-nostdin', '-loglevel', 'error', '-i', path, '-f', 'rawvideo', '-pix_fmt', 'gray', '-'];
      return createHash('sha256')
        .update(spawnSync('ffmpeg', args, { maxBuffer: 1 << 28 }).stdout)
        .digest('hex');
    };
    const exported = async (kind: string): Promise<{ row: ExportView; path: string }> => {
      const { body } = await house.call<ExportView>('POST', `/shots/${shot.id}/exports`, { kind, removalId: id });
      const row = await house.until(async () => {
        const rows = (await house.call<ExportView[]>('GET', `/shots/${shot.id}/exports`)).body;
        return rows.find((r) => r.id === body.id && !['queued', 'running'].includes(r.state));
      }, 'the export');
      return { row, path: house.at(`data/exports/${row.id}/${row.fileName}`) };
    };
    expect(hash((await exported('matte')).path)).toBe(hash(house.at('m.mkv')));
    // Pictures go out and come in again.
    const { row, path } = await exported('matte_png');
    expect(row.state).toBe('done');
    await house.upload('again.zip', readFileSync(path), { shot: shot.id });
    const [again, { shapes }] = await broughtIn('again');
    expect(Object.values(shapes)[0].matte).toMatchObject({ count: 20, start: 5 });
    const frame = await fetch(`${house.host}/api/mattes/${again}/frames/3`);
    expect(frame.headers.get(RECT_HEADER)).toBe('32,60,40,50');
  });

  it('says what is wrong with it until that is dismissed, and changes nothing', async () => {
    const before = (await stateOf()).revision;
    await house.upload('small.mkv', film('small.mkv', 5, '160x90'), { shot: shot.id });
    const failed = await house.until(async () => (await reading()).find((m) => m.state === 'failed'), 'the failure');
    expect(failed.error).toMatchObject({ code: 'matte_size' });
    expect(failed.error!.message).toContain('160x90');
    expect((await stateOf()).revision).toBe(before);
    expect(existsSync(house.at(`data/mattes/${failed.id}`))).toBe(false);
    await house.call('POST', `/mattes/${failed.id}/dismiss`);
    expect(await reading()).toEqual([]);
  });

  it('is refused for a shot that is not there, and its pictures are those of a matte alone', async () => {
    for (const id of [randomUUID(), '../../x'])
      await expect(house.createUpload('m.mkv', 10, { shot: id })).rejects.toThrow('404');
    const nowhere = await house.call<ErrorBody>('GET', `/mattes/${randomUUID()}/frames/0`);
    expect([nowhere.status, nowhere.body.code]).toEqual([404, 'not_found']);
    expect((await house.call('GET', `/mattes/..%2fclips/frames/0`)).status).toBe(400);
  });

  it('is read by the next worker if its worker is killed', async () => {
    await house.upload('long.mkv', film('long.mkv', FRAMES), { shot: shot.id });
    await house.kill(house.worker);
    await house.startWorker();
    const [, { shapes }] = await broughtIn('long');
    expect(Object.values(shapes)[0].matte).toMatchObject({ count: FRAMES, start: 0 });
    const names = Object.values((await stateOf()).document.removals).map((r) => r.name);
    expect(names.filter((n) => n === 'long')).toHaveLength(1);
  });
});
