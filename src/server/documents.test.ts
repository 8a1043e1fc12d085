import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { randomUUID } from 'node:crypto';
import type { RemovalNode } from '../contract/document.ts';
import type { EditBody, PatchOperation, ShotState, ShotView } from '../contract/shots.ts';
import type { ErrorBody } from '../contract/errors.ts';
import { Harness } from './testing/harness.ts';

const house = new Harness(7583);
let clipId: string;

beforeAll(async () => {
  await house.begin();
  await house.upload('walk.mp4', house.film('walk.mp4', 'testsrc2=s=320x180:r=25:d=2'));
  clipId = (await house.settled('walk.mp4')).id;
});
afterAll(() => house.end());

const newShot = async (more: object = {}): Promise<ShotView> =>
  (await house.call<ShotView>('POST', '/shots', { clipId, name: 'Walk', first: 5, last: 40, ...more })).body;

const removal = (name: string): RemovalNode => ({
  name,
  rank: 1,
  hidden: false,
  grow: 0,
  featherIn: 0,
  featherOut: 2,
  settings: { reach: 100, light: 100, grain: true },
  shapes: {},
});

const edit = (shot: ShotView, base: number, patch: PatchOperation[], label = 'Edit', editId: string = randomUUID()) =>
  house.call<ShotState & ErrorBody>('POST', `/shots/${shot.id}/edits`, {
    editId,
    base,
    label,
    patch,
  } satisfies EditBody);

const add = (id: string, name = 'Walker'): PatchOperation => ({
  op: 'add',
  path: `/removals/${id}`,
  value: removal(name),
});
const rename = (id: string, from: string, to: string): PatchOperation[] => [
  { op: 'test', path: `/removals/${id}/name`, value: from },
  { op: 'replace', path: `/removals/${id}/name`, value: to },
];
const state = async (shot: ShotView): Promise<ShotState> =>
  (await house.call<ShotState>('GET', `/shots/${shot.id}`)).body;
const names = ({ document }: ShotState): string[] => Object.values(document.removals).map((r) => r.name);

describe('a shot', () => {
  it('keeps its range within the clip', async () => {
    const wrong = async (body: object): Promise<[number, string]> => {
      const answer = await house.call<ErrorBody>('POST', '/shots', {
        clipId,
        name: 'Walk',
        first: 0,
        last: 9,
        ...body,
      });
      return [answer.status, answer.body.code];
    };
    expect(await wrong({ last: 50 })).toEqual([400, 'bad_range']);
    expect(await wrong({ first: 9, last: 3 })).toEqual([400, 'bad_request']);
    expect(await wrong({ clipId: randomUUID() })).toEqual([404, 'not_found']);
    expect(await wrong({ handleBefore: -1 })).toEqual([400, 'bad_request']);
    const shot = await newShot();
    const change = await house.call<ErrorBody>('PATCH', `/shots/${shot.id}`, { last: 3 });
    expect([change.status, change.body.code]).toEqual([400, 'bad_range']);
    expect(
      (await house.call<ShotView>('PATCH', `/shots/${shot.id}`, { last: 49, handleBefore: 5 })).body,
    ).toMatchObject({
      first: 5,
      last: 49,
      handleBefore: 5,
    });
  });

  it('is deleted and restored with its document', async () => {
    const shot = await newShot();
    await edit(shot, 0, [add(randomUUID())]);
    expect((await house.call('DELETE', `/shots/${shot.id}`)).status).toBe(204);
    expect((await house.call('GET', `/shots/${shot.id}`)).status).toBe(404);
    expect((await house.call('POST', `/shots/${shot.id}/restore`)).status).toBe(200);
    expect(names(await state(shot))).toEqual(['Walker']);
  });
});

describe('its document', () => {
  it('takes an edit once, however often it is sent', async () => {
    const shot = await newShot();
    const [id, editId] = [randomUUID(), randomUUID()];
    const first = await edit(shot, 0, [add(id)], 'Add', editId);
    const again = await edit(shot, 0, [add(id)], 'Add', editId);
    expect([first.status, first.body.revision, again.status, again.body.revision]).toEqual([200, 1, 200, 1]);
  });

  it('gives the shapes of a removal as files', async () => {
    const shot = await newShot();
    const id = randomUUID();
    await edit(shot, 0, [add(id, 'Cart')], 'Add');
    const svg = await fetch(`${house.host}/api/shots/${shot.id}/removals/${id}/svg`);
    expect([svg.status, svg.headers.get('content-disposition')]).toEqual([200, 'attachment; filename=Cart.svg']);
    expect(await svg.text()).toContain('<title>Cart</title>');
    const json = await house.call<{ name: string }>('GET', `/shots/${shot.id}/removals/${id}/json`);
    expect([json.status, json.body.name]).toEqual([200, 'Cart']);
    expect((await house.call('GET', `/shots/${shot.id}/removals/${randomUUID()}/svg`)).status).toBe(404);
  });

  it('is undone and redone in one step with all edits that complete one another', async () => {
    const shot = await newShot();
    const [first, second, third, alone] = Array.from({ length: 4 }, () => randomUUID());
    const send = async (editId: string, completes?: string): Promise<ShotState> => {
      const { revision } = (await house.call<ShotState>('GET', `/shots/${shot.id}`)).body;
      const body = { editId, base: revision, label: 'Add all', patch: [add(editId, editId)], completes };
      return (await house.call<ShotState>('POST', `/shots/${shot.id}/edits`, body)).body;
    };
    await send(alone);
    await send(first);
    await send(second, first);
    await send(third, second);
    const step = async (verb: 'undo' | 'redo'): Promise<ShotState> => (await house.step<ShotState>(shot.id, verb)).body;
    const undone = await step('undo');
    expect([names(undone), undone.undo, undone.redo]).toEqual([[alone], 'Add all', 'Add all']);
    const redone = await step('redo');
    expect([names(redone).sort(), redone.redo]).toEqual([[alone, first, second, third].sort(), null]);
    await step('undo');
    expect(names(await step('undo'))).toEqual([]);
    const bad = { editId: randomUUID(), base: 0, label: 'x', patch: [add(first, 'x')], completes: 'the last one' };
    expect((await house.call('POST', `/shots/${shot.id}/edits`, bad)).status).toBe(400);
  });

  it('is undone and redone step by step, and a new edit forgets what was undone', async () => {
    const shot = await newShot();
    const [a, b, c] = [randomUUID(), randomUUID(), randomUUID()];
    await edit(shot, 0, [add(a, 'one')], 'Add one');
    await edit(shot, 1, [add(b, 'two')], 'Add two');
    await edit(shot, 2, rename(a, 'one', 'uno'), 'Rename');
    const act = async (verb: 'undo' | 'redo'): Promise<ShotState> => (await house.step<ShotState>(shot.id, verb)).body;
    expect(names(await act('undo')).sort()).toEqual(['one', 'two']);
    const back = await act('undo');
    expect([names(back), back.undo, back.redo]).toEqual([['one'], 'Add one', 'Add two']);
    expect(names(await act('redo')).sort()).toEqual(['one', 'two']);
    const { revision } = await act('undo');
    const after = (await edit(shot, revision, [add(c, 'three')], 'Add three')).body;
    expect([names(after).sort(), after.undo, after.redo]).toEqual([['one', 'three'], 'Add three', null]);
    const nothing = await house.step<ErrorBody>(shot.id, 'redo');
    expect([nothing.status, nothing.body.code]).toEqual([409, 'nothing_to_redo']);
  });

  it('takes the same step once, however often it is asked for, and no edit again that an undo and a new edit made forgotten', async () => {
    const shot = await newShot();
    const [a, b, c, stepId, editId] = Array.from({ length: 5 }, () => randomUUID());
    await edit(shot, 0, [add(a, 'one')]);
    await edit(shot, 1, [add(b, 'two')], 'Add two', editId);
    for (let k = 0; k < 2; k++) {
      const { status, body } = await house.step<ShotState>(shot.id, 'undo', stepId);
      expect([status, body.revision, names(body)]).toEqual([200, 3, ['one']]);
    }
    expect(names((await edit(shot, 3, [add(c, 'three')])).body).sort()).toEqual(['one', 'three']);
    expect(names((await edit(shot, 1, [add(b, 'two')], 'Add two', editId)).body).sort()).toEqual(['one', 'three']);
    const other = await newShot();
    const strange = await house.step<ErrorBody>(other.id, 'undo', stepId);
    expect([strange.status, strange.body.code]).toEqual([400, 'bad_request']);
    expect((await house.call<ErrorBody>('POST', `/shots/${shot.id}/undo`)).status).toBe(400);
  });

  it('takes a step later that could not be taken at first', async () => {
    const shot = await newShot();
    const stepId = randomUUID();
    expect((await house.step(shot.id, 'undo', stepId)).status).toBe(409);
    await edit(shot, 0, [add(randomUUID(), 'one')]);
    expect(names((await house.step<ShotState>(shot.id, 'undo', stepId)).body)).toEqual([]);
  });

  it('rebases a patch on an older revision if it fits, and refuses it if not', async () => {
    const shot = await newShot();
    const [a, b] = [randomUUID(), randomUUID()];
    await edit(shot, 0, [add(a, 'one'), add(b, 'two')]);
    await edit(shot, 1, rename(a, 'one', 'uno'));
    const fits = await edit(shot, 1, rename(b, 'two', 'due'));
    expect([fits.status, names(fits.body).sort()]).toEqual([200, ['due', 'uno']]);
    const clash = await edit(shot, 1, rename(a, 'one', 'eins'));
    expect([clash.status, clash.body.code]).toEqual([409, 'conflict']);
    expect(clash.body.message).toContain('make it again');
    expect(names(await state(shot)).sort()).toEqual(['due', 'uno']);
  });

  const box = (x: unknown): object => ({ x, y: 0, inX: 0, inY: 0, outX: 0, outY: 0 });
  const shape = (keys: object): object => ({ name: 'S', rank: 1, kind: 'path', operation: 'add', keys });
  it.each<[string, (id: string) => PatchOperation[], string]>([
    ['a path that is not there', (id) => [{ op: 'replace', path: `/removals/${id}/nothing/x`, value: 1 }], 'bad_patch'],
    ['a failing test', (id) => [{ op: 'test', path: `/removals/${id}/name`, value: 'nobody' }], 'bad_patch'],
    ['a wrong type', (id) => [{ op: 'replace', path: `/removals/${id}/grow`, value: '3' }], 'bad_document'],
    ['a value out of range', (id) => [{ op: 'replace', path: `/removals/${id}/grow`, value: 1e6 }], 'bad_document'],
    ['a field of its own', (id) => [{ op: 'add', path: `/removals/${id}/colour`, value: 'red' }], 'bad_document'],
    ['the loss of the document', () => [{ op: 'remove', path: '/removals' }], 'bad_document'],
    ['an id that is none', () => [{ op: 'add', path: '/removals/..', value: removal('x') }], 'bad_document'],
    [
      'a shape without keys',
      (id) => [{ op: 'add', path: `/removals/${id}/shapes/${randomUUID()}`, value: shape({}) }],
      'bad_document',
    ],
    [
      'a point that is no number',
      (id) => [
        {
          op: 'add',
          path: `/removals/${id}/shapes/${randomUUID()}`,
          value: shape({ 3: { ease: 'linear', points: [box(null), box(1)] } }),
        },
      ],
      'bad_document',
    ],
    ['an operation that is none', () => [{ op: 'explode' as 'add', path: '/removals' }], 'bad_request'],
    ['a prototype', () => [{ op: 'add', path: '/__proto__/polluted', value: 1 }], 'bad_patch'],
  ])('refuses %s and stays as it is', async (_, patch, code) => {
    const shot = await newShot();
    const id = randomUUID();
    await edit(shot, 0, [add(id)]);
    const before = await state(shot);
    const answer = await edit(shot, 1, patch(id));
    expect([answer.status, answer.body.code]).toEqual([400, code]);
    expect(await state(shot)).toEqual(before);
  });

  it('refuses a revision from the future and the edit id of another shot', async () => {
    const [one, two] = [await newShot(), await newShot()];
    const editId = randomUUID();
    await edit(one, 0, [add(randomUUID())], 'Add', editId);
    expect((await edit(two, 0, [add(randomUUID())], 'Add', editId)).body.code).toBe('bad_request');
    expect((await edit(two, 7, [add(randomUUID())])).body.code).toBe('conflict');
  });
});

describe('faults in mid-edit', () => {
  it('a server that is killed while an edit is on its way has it whole or not at all; sent again it is there once', async () => {
    const shot = await newShot();
    const edits = Array.from({ length: 12 }, () => ({ id: randomUUID(), editId: randomUUID() }));
    const sending = Promise.allSettled(edits.map(({ id, editId }) => edit(shot, 0, [add(id)], 'Add', editId)));
    await house.kill(house.server);
    await sending;
    await house.startServer();
    const kept = await state(shot);
    expect(kept.revision).toBe(Object.keys(kept.document.removals).length);
    for (const { id, editId } of edits) expect((await edit(shot, 0, [add(id)], 'Add', editId)).status).toBe(200);
    const end = await state(shot);
    expect([end.revision, Object.keys(end.document.removals).length]).toEqual([12, 12]);
  });

  it('without the database an edit is refused as passing, and taken when it is back', async () => {
    const shot = await newShot();
    const [id, editId] = [randomUUID(), randomUUID()];
    house.cluster.stop();
    const away = await edit(shot, 0, [add(id)], 'Add', editId);
    expect([away.status, away.body.code]).toEqual([503, 'unavailable']);
    house.cluster.start();
    const back = await house.until(async () => {
      const answer = await edit(shot, 0, [add(id)], 'Add', editId);
      return answer.status === 200 ? answer : undefined;
    }, 'the database');
    expect(back.body.revision).toBe(1);
  });
});

describe('the description of the API', () => {
  it('names every operation with its parameters, bodies and errors', async () => {
    const { body } = await house.call<{
      openapi: string;
      paths: Record<string, Record<string, { parameters: { name: string }[]; requestBody?: { content: object } }>>;
    }>('GET', '/openapi.json');
    expect(body.openapi).toBe('3.1.0');
    const edits = body.paths['/api/shots/{id}/edits'].post;
    expect(edits.parameters.map((p) => p.name)).toEqual(['id']);
    expect(JSON.stringify(edits.requestBody)).toContain('editId');
    expect(Object.keys(body.paths).length).toBeGreaterThan(20);
  });
});

describe('the schema', () => {
  it('comes from the version before with what was in it', () => {
    // A schema of its own in the same database stands for an older installation.
    const rows = house.script(`
      const old = openDatabase(config.databaseUrl + '?options=-csearch_path%3Dolder');
      await old.query('CREATE SCHEMA older');
      // The list of migrations is looked for in the public schema before it is made.
      await old.query('CREATE TABLE older.migrations (LIKE public.migrations INCLUDING ALL)');
      const first = await migrate(old, '001-clips');
      await old.query(\`INSERT INTO clips (id, name, size, state, extension, created_at, updated_at)
        VALUES (gen_random_uuid(), 'kept.mp4', 5, 'importing', '.mp4', now(), now())\`);
      const rest = await migrate(old);
      const again = await migrate(old);
      const [clips] = await old.query('SELECT name FROM clips');
      const [shots] = await old.query('SELECT count(*)::int AS n FROM shots');
      await old.close();
      return { first, rest, again, clips, shots };`);
    expect(rows).toEqual({
      first: ['001-clips'],
      rest: [
        '002-shots',
        '003-takes',
        '004-tracks',
        '005-movers',
        '006-outlines',
        '007-part-takes',
        '008-mattes',
        '009-completed-edits',
        '010-trims',
        '011-plates',
        '012-outline-mattes',
        '013-wishes',
      ],
      again: [],
      clips: [{ name: 'kept.mp4' }],
      shots: [{ n: 0 }],
    });
  });
});
