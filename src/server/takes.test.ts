import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { deserialize } from 'node:v8';
import { marksOf, toRemoval, type RemovalNode } from '../contract/document.ts';
import type { FittedDonor } from '../contract/donors.ts';
import type { ErrorBody } from '../contract/errors.ts';
import type { ShotState, ShotView } from '../contract/shots.ts';
import type { RevealTotal, RevealView, TakeView } from '../contract/takes.ts';
import type { Patch } from '../core/fill/finish.ts';
import type { SourceKind } from '../core/fill/settings.ts';
import { drawMatte } from '../core/shapes/matte.ts';
import { rectanglePoints } from '../core/shapes/shape.ts';
import { Harness } from './testing/harness.ts';
import { spot, walker } from './testing/marks.ts';
import { FRAME, FRAMES, H, raw, W, WALK, walkIn } from './testing/walk.ts';

const house = new Harness(7593);
const walk = walkIn(house);
const { newShot, change, start, takeNow, finished, exported } = walk;

beforeAll(() => walk.begin());
afterAll(() => house.end());

const revealed = (shot: ShotView, id: string): Promise<RevealView> =>
  house.until(async () => {
    const { body } = await house.call<RevealView>('GET', `/shots/${shot.id}/reveals/${id}`);
    return body.state === 'working' ? undefined : body;
  }, 'the reveal');

describe('a take', () => {
  const id = randomUUID();
  let shot: ShotView;
  let take: TakeView;

  it('tells what the shot remembers before it is run', async () => {
    shot = await newShot({ [id]: walker() });
    const reveal = await revealed(shot, id);
    const { total, frames, first, key } = reveal.data!;
    expect([first, frames.length]).toEqual([0, FRAMES]);
    expect(total.seen + total.thin + total.unseen).toBe(total.hole);
    expect(total.seen / total.hole).toBeGreaterThan(0.9);
    const maps = await fetch(`${house.host}/api/reveals/${key}/maps`);
    const cells = frames.reduce((n, f) => n + f.width * f.height, 0);
    expect((await maps.arrayBuffer()).byteLength).toBe(cells);
  });

  it('says before it is run that black bars are left alone', async () => {
    const bars = ['y=0', `y=${H - 20}`].map((y) => `drawbox=${y}:h=20:color=black:t=fill`).join(',');
    await house.upload('barred.mp4', house.film('barred.mp4', `${WALK},${bars}`));
    const { id: clipId } = await house.settled('barred.mp4');
    const barred = await revealed(await newShot({ [id]: walker() }, { clipId }), id);
    expect([barred.data!.bars, (await revealed(shot, id)).data!.bars]).toEqual([true, false]);
  });

  it('is computed by the worker, becomes the pick, and can be looked at frame by frame', async () => {
    take = await start(shot, id);
    const end = await finished(take.id);
    expect(end).toMatchObject({ state: 'done', picked: true, stale: false, first: 0, count: FRAMES, error: null });
    expect(end.finished).toEqual([[0, FRAMES - 1]]);
    const png = await fetch(`${house.host}/api/takes/${take.id}/frames/30`);
    expect([png.status, png.headers.get('content-type')]).toEqual([200, 'image/png']);
    expect((await fetch(`${house.host}/api/takes/${take.id}/frames/500`)).status).toBe(404);
    expect((await fetch(`${house.host}/api/takes/${take.id}/proxy`)).headers.get('content-type')).toBe('video/mp4');
    // What only the computing needed is gone.
    expect(readdirSync(house.at(`data/takes/${take.id}`)).every((f) => /^finish-\d+\.bin$|^proxy/.test(f))).toBe(true);
  });

  it('is exported without a changed sample outside its matte, from in to out, with its sound', async () => {
    const { row, path } = await exported(shot, { kind: 'ffv1' });
    expect(row).toMatchObject({ state: 'done', fileName: 'Walk_clean.mkv' });
    const [clean, original] = [raw(path, 'yuv420p'), raw(house.at('walk.mp4'), 'yuv420p')];
    expect(clean.length).toBe(56 * FRAME);
    const removal = toRemoval(
      id,
      marksOf((await house.call<ShotState>('GET', `/shots/${shot.id}`)).body.document, id)!,
    );
    let [outside, red, redBefore] = [0, 0, 0];
    for (let t = 8; t <= 63; t++) {
      const { rect, values } = drawMatte(removal, t, W, H);
      const hole = (x: number, y: number): boolean => {
        const [u, v] = [x - rect.x, y - rect.y];
        return u >= 0 && v >= 0 && u < rect.width && v < rect.height && values[v * rect.width + u] > 0;
      };
      for (let y = 0; y < H; y++) {
        for (let x = 0; x < W; x++) {
          const k = y * W + x;
          if (clean[(t - 8) * FRAME + k] !== original[t * FRAME + k] && !hole(x, y)) outside++;
          if (x % 2 === 0 && y % 2 === 0) {
            // The red difference plane: the box is the only red thing.
            const c = W * H * 1.25 + (y / 2) * (W / 2) + x / 2;
            if (clean[(t - 8) * FRAME + c] > 200) red++;
            if (original[t * FRAME + c] > 200) redBefore++;
          }
        }
      }
    }
    expect(outside).toBe(0);
    expect(redBefore).toBeGreaterThan(10_000);
    expect(red).toBe(0);
    const probe = spawnSync('ffprobe', [
      '-v',
      'error',
      '-show_entries',
      'stream=codec_type,codec_name',
      '-of',
      'csv=p=0',
      path,
    ]);
    expect(probe.stdout.toString()).toContain('aac,audio');
  });

  it('gives a fill that lies over the original as the clean frame', async () => {
    const { path } = await exported(shot, { kind: 'fill', removalId: id });
    const clean = raw((await exported(shot, { kind: 'ffv1' })).path, 'yuv420p');
    const fill = raw(path, 'yuva420p');
    const original = raw(house.at('walk.mp4'), 'yuv420p');
    const size = W * H * 2.5;
    let worst = 0;
    for (let t = 0; t < 56; t++) {
      for (let k = 0; k < W * H; k++) {
        const a = fill[t * size + W * H * 1.5 + k] / 255;
        const laid = original[(t + 8) * FRAME + k] * (1 - a) + fill[t * size + k] * a;
        worst = Math.max(worst, Math.abs(laid - clean[t * FRAME + k]));
      }
    }
    expect(worst).toBeLessThanOrEqual(1);
  });

  it('has the matte that the core draws, and a zip of numbered pictures', async () => {
    const { path } = await exported(shot, { kind: 'matte', removalId: id });
    const matte = raw(path, 'gray');
    expect(matte.length).toBe(56 * W * H);
    const removal = toRemoval(
      id,
      marksOf((await house.call<ShotState>('GET', `/shots/${shot.id}`)).body.document, id)!,
    );
    const { rect, values } = drawMatte(removal, 20, W, H);
    const own = new Uint8Array(W * H);
    for (let y = 0; y < rect.height; y++) {
      own.set(values.subarray(y * rect.width, (y + 1) * rect.width), (rect.y + y) * W + rect.x);
    }
    expect(Buffer.compare(matte.subarray(12 * W * H, 13 * W * H), Buffer.from(own))).toBe(0);
    const zip = readFileSync((await exported(shot, { kind: 'png' })).path).toString('latin1');
    expect(zip).toContain('Walk/Walk_000008.png');
    expect(zip).toContain('Walk/Walk_000063.png');
  });

  it('says when its marks have changed since, and when they are back', async () => {
    await house.call('POST', `/shots/${shot.id}/edits`, {
      editId: randomUUID(),
      base: 1,
      label: 'Grow',
      patch: [{ op: 'replace', path: `/removals/${id}/grow`, value: 4 }],
    });
    expect((await takeNow(take.id)).stale).toBe(true);
    await house.step(shot.id, 'undo');
    expect((await takeNow(take.id)).stale).toBe(false);
  });

  it('that is run again since the marks have changed takes the pick from the one before', async () => {
    const { revision } = (await house.call<ShotState>('GET', `/shots/${shot.id}`)).body;
    const patch = [{ op: 'replace', path: `/removals/${id}/grow`, value: 3 }];
    await house.call('POST', `/shots/${shot.id}/edits`, { editId: randomUUID(), base: revision, label: 'Grow', patch });
    const again = await finished((await start(shot, id, take.draft)).id);
    expect([again.picked, again.stale, (await takeNow(take.id)).picked]).toEqual([true, false, false]);
    await house.step(shot.id, 'undo');
    await house.call('PATCH', `/takes/${take.id}`, { picked: true });
  });

  it('of a later removal lies on the pick of the one before it', async () => {
    const second = randomUUID();
    const { revision } = (await house.call<ShotState>('GET', `/shots/${shot.id}`)).body;
    await change(shot, revision, { [second]: spot() });
    const top = await finished((await start(shot, second, true)).id);
    expect(top).toMatchObject({ state: 'done', draft: true, beneath: [take.id] });
    // Another pick beneath makes it outdated.
    const other = await finished((await start(shot, id, true)).id);
    expect(other.picked).toBe(false);
    await house.call('PATCH', `/takes/${other.id}`, { picked: true });
    expect([(await takeNow(top.id)).stale, (await takeNow(take.id)).picked]).toEqual([true, false]);
    // To pick it once more changes nothing.
    await house.call('PATCH', `/takes/${other.id}`, { picked: true });
    expect((await takeNow(other.id)).picked).toBe(true);
  });

  it('lies on what is filled when it begins, so that several can be asked for at once', async () => {
    const [lower, upper] = [randomUUID(), randomUUID()];
    const both = await newShot({ [lower]: spot(), [upper]: { ...spot(), rank: 3 } });
    const [first, second] = [await start(both, lower, true), await start(both, upper, true)];
    expect([first.beneath, second.beneath]).toEqual([[], []]);
    await finished(second.id);
    expect(await takeNow(second.id)).toMatchObject({ state: 'done', stale: false, picked: true, beneath: [first.id] });
  });

  it('takes nothing from where something else goes away that is not filled yet, and the reveal says so', async () => {
    const [own, other] = [randomUUID(), randomUUID()];
    // Below its first rows all of the picture.
    const points = rectanglePoints(-9, 40, W + 9, H + 9);
    const shapes = { [randomUUID()]: { ...Object.values(spot().shapes)[0], keys: { 0: { ease: 'linear', points } } } };
    const rest = { ...spot(), shapes } as RemovalNode;
    const both = await newShot({ [own]: walker(), [other]: rest });
    const seenShare = async (): Promise<number> => {
      const { total } = (await revealed(both, own)).data!;
      return (total.seen + total.thin) / total.hole;
    };
    const { outcome } = await finished((await start(both, own, true)).id);
    expect([outcome!.unseen, await seenShare()]).toEqual([outcome!.hole, 0]);
    // One that comes before is filled before; one that is hidden stays.
    for (const more of [{ rank: 0 }, { hidden: true }]) {
      const { revision } = (await house.call<ShotState>('GET', `/shots/${both.id}`)).body;
      await change(both, revision, { [other]: { ...rest, ...more } });
      expect(await seenShare()).toBeGreaterThan(0.9);
    }
  });

  it('of chosen frames fills these alone, from what the whole shot shows, and is never the pick', async () => {
    const only = { first: 33, last: 40 };
    const body = { removalId: id, draft: false, only };
    const part = (await house.call<TakeView>('POST', `/shots/${shot.id}/takes`, body)).body;
    const end = await finished(part.id);
    expect(end).toMatchObject({ state: 'done', picked: false, first: 0, count: FRAMES, only, error: null });
    // Chunks of eight frames are filled whole.
    expect(end.finished).toEqual([[32, 47]]);
    const pick = await house.call<ErrorBody>('PATCH', `/takes/${part.id}`, { picked: true });
    expect([pick.status, pick.body.code]).toEqual([409, 'not_whole']);
    // Frame 36 is as the whole take has it: the sources are the same.
    const patch = (take: string): Patch =>
      (deserialize(readFileSync(house.at(`data/takes/${take}/finish-4.bin`))) as Patch[]).find((p) => p.frame === 36)!;
    const [a, b] = [patch(part.id), patch(take.id)].map(({ rect, planes }) => ({ rect, luma: planes[0] }));
    expect(a.rect).toEqual(b.rect);
    const apart = a.luma.reduce((n, v, i) => n + Math.abs(v - b.luma[i]), 0) / a.luma.length;
    expect(apart).toBeLessThan(1.5);
    // Another try differs in what is invented, here its grain alone, and says so.
    const again = await finished(
      (await house.call<TakeView>('POST', `/shots/${shot.id}/takes`, { ...body, seed: 2 })).body.id,
    );
    expect(again.settings.seed).toBe(2);
    const other = patch(again.id).planes[0];
    expect(other.some((v, i) => v !== a.luma[i])).toBe(true);
    expect(other.reduce((n, v, i) => n + Math.abs(v - a.luma[i]), 0) / other.length).toBeLessThan(3);
    const beyond = { ...body, only: { first: 60, last: 99 } };
    expect((await house.call<ErrorBody>('POST', `/shots/${shot.id}/takes`, beyond)).body.code).toBe('bad_range');
  });

  it('takes its pixels from where it is told to: a donor, and colours for what that does not show', async () => {
    const settings = { reach: 60, light: 100, grain: false } as const;
    const told = (sources: SourceKind[], dx = 0) =>
      ({ ...spot(), settings: { ...settings, sources, donor: { frame: 20, dx, dy: 30 } } }) satisfies RemovalNode;
    const [colours, donor] = [randomUUID(), randomUUID()];
    const shot = await newShot({ [colours]: told(['colours']), [donor]: told(['donor', 'colours'], 40) });
    const [plain, copied] = [
      await finished((await start(shot, colours, true)).id),
      await finished((await start(shot, donor, true)).id),
    ];
    expect([plain.state, copied.state]).toEqual(['done', 'done']);
    expect(plain.outcome!.unseen).toBe(plain.outcome!.hole);
    expect(copied.outcome!.unseen).toBe(0);
    expect(copied.settings.donor).toEqual({ frame: 20, dx: 40, dy: 30 });
    const wrong = { ...spot(), settings: { ...settings, sources: ['magic'] } } as unknown as RemovalNode;
    expect((await change(shot, 1, { [randomUUID()]: wrong })).status).toBe(400);
  });

  it('is named, deleted and restored', async () => {
    expect((await house.call<TakeView>('PATCH', `/takes/${take.id}`, { name: 'Best' })).body.name).toBe('Best');
    expect((await house.call('DELETE', `/takes/${take.id}`)).status).toBe(204);
    expect((await house.call('GET', `/takes/${take.id}`)).status).toBe(404);
    expect((await house.call<TakeView>('POST', `/takes/${take.id}/restore`)).body.name).toBe('Best');
  });
});

describe('a reveal', () => {
  it('is there in the end, however often marks go to and fro while several pages ask', async () => {
    const id = randomUUID();
    const shot = await newShot({ [id]: walker() });
    const ask = () => house.call<RevealView>('GET', `/shots/${shot.id}/reveals/${id}`);
    for (let round = 0; round < 4; round++) {
      const { revision } = (await house.call<ShotState>('GET', `/shots/${shot.id}`)).body;
      const patch = [{ op: 'replace', path: `/removals/${id}/grow`, value: 3 }];
      const edit = { editId: randomUUID(), base: revision, label: 'Grow', patch };
      await Promise.all([ask(), house.call('POST', `/shots/${shot.id}/edits`, edit), ask(), ask()]);
      await Promise.all([ask(), house.step(shot.id, 'undo'), ask(), ask()]);
    }
    const end = await house.until(async () => {
      const { body } = await ask();
      return body.state === 'working' ? undefined : body;
    }, 'the reveal');
    expect(end).toMatchObject({ state: 'ready', progress: 1 });
    expect(end.data!.total.hole).toBeGreaterThan(0);
  });

  it('follows the removal’s own sources: without other frames nothing is seen, a donor shows what is in view', async () => {
    const id = randomUUID();
    const shot = await newShot({ [id]: walker() });
    const totalWith = async (settings: object): Promise<RevealTotal> => {
      const { revision } = (await house.call<ShotState>('GET', `/shots/${shot.id}`)).body;
      await change(shot, revision, { [id]: { ...walker(), settings: { ...walker().settings, ...settings } } });
      return (await revealed(shot, id)).data!.total;
    };
    const none = await totalWith({ sources: ['texture'] });
    expect([none.seen, none.thin, none.unseen]).toEqual([0, 0, none.hole]);
    const donor = await totalWith({ sources: ['donor', 'texture'], donor: { frame: 0, dx: 0, dy: -1000 } });
    expect(donor.seen).toBe(0);
    const aside = await totalWith({ sources: ['donor', 'texture'], donor: { frame: 0, dx: 70, dy: 0 } });
    expect(aside.seen).toBeGreaterThan(donor.seen);
    expect(aside.hole).toBe(none.hole);
  });
});

describe('a donor', () => {
  const fitted = (shot: ShotView, id: string, body: object) =>
    house.call<FittedDonor & ErrorBody>('POST', `/shots/${shot.id}/removals/${id}/donor`, body);

  it('is moved to where it goes on from what surrounds the hole, near to where it is', async () => {
    const id = randomUUID();
    const shot = await newShot({ [id]: spot() });
    const { status, body } = await fitted(shot, id, { frame: 20, dx: 60, dy: 20 });
    expect([status, body.frame]).toEqual([200, 20]);
    expect(Math.max(Math.abs(body.dx - 60), Math.abs(body.dy - 20))).toBeLessThan(33);
    expect(body.likeness).toBeGreaterThan(0.2);
    const again = await fitted(shot, id, { frame: 20, dx: body.dx, dy: body.dy });
    expect([again.body.dx - body.dx, again.body.dy - body.dy].map(Math.abs).every((v) => v <= 0.1)).toBe(true);
  });

  it('cannot be where there is nothing like it, without an outline, or in a removal that is not there', async () => {
    const [id, empty] = [randomUUID(), randomUUID()];
    const shot = await newShot({ [id]: spot(), [empty]: { ...spot(), shapes: {} } });
    const there = { frame: 20, dx: 60, dy: 20 };
    const codes = await Promise.all([
      fitted(shot, id, { ...there, dx: 900 }),
      fitted(shot, empty, there),
      fitted(shot, randomUUID(), there),
      fitted(shot, id, { ...there, frame: 9999 }),
      fitted(shot, id, { dx: 1 }),
    ]);
    expect(codes.map(({ status, body }) => [status, body.code])).toEqual([
      [409, 'no_donor'],
      [409, 'no_marks'],
      [404, 'not_found'],
      [404, 'not_found'],
      [400, 'bad_request'],
    ]);
  });
});

describe('what cannot be done', () => {
  it('is refused with a code and a next step', async () => {
    const [id, empty] = [randomUUID(), randomUUID()];
    const shot = await newShot({ [id]: walker(), [empty]: { ...walker(), shapes: {} } });
    const elsewhere = await newShot({});
    const code = async (path: string, body: unknown): Promise<[number, string]> => {
      const answer = await house.call<ErrorBody>('POST', path, body);
      return [answer.status, answer.body.code];
    };
    const takes = `/shots/${shot.id}/takes`;
    expect(await code(takes, { removalId: empty, draft: true })).toEqual([409, 'no_marks']);
    expect(await code(takes, { removalId: randomUUID(), draft: true })).toEqual([404, 'not_found']);
    expect(await code(takes, { removalId: id })).toEqual([400, 'bad_request']);
    expect(await code(`/shots/${elsewhere.id}/takes`, { removalId: id, draft: true })).toEqual([404, 'not_found']);
    expect(await code(`/shots/${shot.id}/exports`, { kind: 'ffv1' })).toEqual([409, 'no_pick']);
    expect(await code(`/shots/${shot.id}/exports`, { kind: 'fill' })).toEqual([400, 'bad_request']);
    expect(await code(`/shots/${shot.id}/exports`, { kind: 'gif' })).toEqual([400, 'bad_request']);
    const reveal = await house.call<ErrorBody>('GET', `/shots/${shot.id}/reveals/${empty}`);
    expect([reveal.status, reveal.body.code]).toEqual([409, 'no_marks']);
    expect((await house.call<ErrorBody>('GET', `/reveals/..%2f..%2fetc/maps`)).status).toBe(400);
  });
});

describe('what was deleted', () => {
  it('can be restored for a while, then goes with its files; a take that others lie on stays', async () => {
    const [below, above] = [randomUUID(), randomUUID()];
    const shot = await newShot({ [below]: walker(), [above]: spot() });
    const base = await finished((await start(shot, below, true)).id);
    const top = await finished((await start(shot, above, true)).id);
    await house.call('DELETE', `/takes/${base.id}`);
    expect(house.purge(60_000)).toContain(base.id);
    house.purge(0);
    expect(existsSync(house.at(`data/takes/${base.id}`))).toBe(true);
    await house.call('DELETE', `/takes/${top.id}`);
    house.purge(0);
    house.purge(0);
    expect([base, top].map(({ id }) => existsSync(house.at(`data/takes/${id}`)))).toEqual([false, false]);

    const film = house.film('gone.mp4', 'testsrc2=s=160x90:r=25:d=1');
    await house.upload('gone.mp4', film);
    const clip = await house.settled('gone.mp4');
    const before = readdirSync(house.at('data/clips')).length;
    await house.call('DELETE', `/clips/${clip.id}`);
    house.purge(0);
    expect(readdirSync(house.at('data/clips'))).toHaveLength(before - 1);
    expect((await house.call('POST', `/clips/${clip.id}/restore`)).status).toBe(404);
  });
});
