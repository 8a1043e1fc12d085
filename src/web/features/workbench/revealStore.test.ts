import { beforeEach, describe, expect, it, jest } from '@jest/globals';
import { nextTick } from 'vue';
import type { RevealView } from '../../../contract/takes.ts';
import { rectanglePoints } from '../../../core/shapes/shape.ts';
import { addRemoval, addShape } from '../../document/edits.ts';
import { startQuietly, tell } from '../../testing/quietServer.ts';
import { useDocument } from '../../document/documentStore.ts';
import { useReveal } from './revealStore.ts';
import { useStage } from './stageStore.ts';

let view: RevealView;
let asked: string[];
let status: number;
let revision: number;

const wait = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));
/** Waits for longer than marks rest. */
const rest = (): Promise<void> => wait(650);

/** Waits until something is so, however slow the machine is. */
async function until(isSo: () => boolean): Promise<void> {
  for (const end = Date.now() + 4000; !isSo() && Date.now() < end;) await wait(20);
}

/** A shot with a thing that has one box, looked at. */
async function bench() {
  startQuietly(9);
  const doc = useDocument();
  const stage = useStage();
  const reveal = useReveal();
  await doc.open('s');
  const shot = doc.shot!;
  globalThis.fetch = jest.fn((input: unknown, init?: RequestInit) => {
    const path = String(input);
    if (path.endsWith('/edits')) {
      const state = { shot, document: doc.document, revision: ++revision, undo: 'x', redo: null };
      return Promise.resolve(new Response(JSON.stringify(state)));
    }
    asked.push(`${init?.method ?? 'GET'} ${path}`);
    if (path.includes('/reveals/') && path.endsWith('/maps')) return Promise.resolve(new Response('maps'));
    return Promise.resolve(new Response(JSON.stringify(view), { status }));
  }) as unknown as typeof fetch;
  let [removalId, shapeId] = ['', ''];
  doc.edit('Draw', (draft) => {
    removalId = addRemoval(draft);
    shapeId = addShape(draft.removals[removalId], 'rectangle', 0, rectanglePoints(1, 1, 9, 9));
  });
  stage.selectRemoval(removalId);
  const marks = (): number => asked.filter((a) => a === `GET /api/shots/s/reveals/${removalId}`).length;
  const grow = (px: number): unknown => doc.edit('Grow', (draft) => void (draft.removals[removalId].grow = px));
  return { doc, stage, reveal, removalId, shapeId, marks, grow };
}

beforeEach(() => {
  [asked, status, revision] = [[], 200, 0];
  view = { state: 'working', progress: 0.5, error: null, data: null };
});

describe('what the shot remembers', () => {
  it('is asked for once the marks rest, not once per edit', async () => {
    const { grow, marks, reveal, removalId } = await bench();
    for (const px of [1, 2, 3]) {
      grow(px);
      await nextTick();
    }
    await until(() => reveal.view(removalId) !== undefined);
    expect(marks()).toBe(1);
    expect([reveal.view(removalId)?.state, reveal.data[removalId]]).toEqual(['working', undefined]);
  });

  it('keeps the last data on the screen while newer is computed', async () => {
    const { reveal, removalId, grow } = await bench();
    view = { state: 'ready', progress: 1, error: null, data: { key: 'a' } } as RevealView;
    await until(() => reveal.data[removalId] !== undefined);
    expect(reveal.data[removalId]).toMatchObject({ key: 'a' });
    view = { state: 'working', progress: 0, error: null, data: null };
    grow(4);
    await until(() => reveal.view(removalId)?.state === 'working');
    expect([reveal.view(removalId)?.state, reveal.data[removalId]?.key]).toEqual(['working', 'a']);
  });

  it('is asked for again when the server says that it has changed, and loads the maps of the same data once', async () => {
    const { reveal, removalId } = await bench();
    await until(() => reveal.view(removalId) !== undefined);
    view = { state: 'ready', progress: 1, error: null, data: { key: 'b' } } as RevealView;
    const loads = (): number => asked.filter((path) => path.includes('maps')).length;
    tell({ kind: 'reveal', id: removalId, shotId: 's' });
    await until(() => reveal.maps(removalId) !== undefined);
    expect(reveal.data[removalId]?.key).toBe('b');
    const before = loads();
    tell({ kind: 'reveal', id: removalId, shotId: 's' });
    await rest();
    expect([before > 0, loads()]).toEqual([true, before]);
    expect(new TextDecoder().decode(reveal.maps(removalId))).toBe('maps');
  });

  it('says why where it cannot be had', async () => {
    const { reveal, removalId } = await bench();
    [status, view] = [404, { code: 'not_found', message: 'There is no such removal.' } as unknown as RevealView];
    await until(() => reveal.view(removalId) !== undefined);
    expect(reveal.view(removalId)).toMatchObject({ state: 'failed', error: { code: 'not_found' } });
  });

  it('is nothing for a thing without shapes', async () => {
    const { doc, removalId, shapeId, marks } = await bench();
    await rest();
    doc.edit('Delete', (draft) => void delete draft.removals[removalId].shapes[shapeId]);
    const before = marks();
    await rest();
    expect(marks()).toBe(before);
  });
});
