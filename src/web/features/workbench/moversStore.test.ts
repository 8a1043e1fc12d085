import { beforeEach, describe, expect, it, jest } from '@jest/globals';
import type { MoverOutlines, SearchView } from '../../../contract/movers.ts';
import { nextTick } from 'vue';
import { addRemoval } from '../../document/edits.ts';
import { addVariant } from '../../document/variants.ts';

import { answerQuietly, openQuietly, startQuietly } from '../../testing/quietServer.ts';
import { useMovers } from './moversStore.ts';
import { useStage } from './stageStore.ts';
import { useWork } from './workStore.ts';

const outlinesOf = (mover: number): MoverOutlines => ({
  '3': [100 * mover, 0, 100 * mover + 10, 0, 100 * mover + 10, 10],
  '4': [100 * mover + 1, 0, 100 * mover + 11, 0, 100 * mover + 11, 10],
});
/** As its outlines lie on the frame that shows it best. */
const found = (mover: number): object => ({ best: 3, box: [mover * 100, 0, 10, 10] });
let search: Partial<SearchView> | null;
let asked: string[];
let refuses: string;

async function bench() {
  const doc = await openQuietly();
  globalThis.fetch = jest.fn((input: unknown, init?: RequestInit) => {
    const path = String(input);
    asked.push(`${init?.method} ${path}`);
    if (refuses && path.includes(refuses)) {
      return Promise.resolve(new Response('{"code":"not_found","message":"It is gone."}', { status: 404 }));
    }
    const mover = /movers\/(\d+)\/outlines/.exec(path);
    if (mover) return Promise.resolve(new Response(JSON.stringify(outlinesOf(Number(mover[1])))));
    if (path.endsWith('/movers')) return Promise.resolve(new Response(JSON.stringify({ search })));
    return new Promise(() => undefined);
  }) as unknown as typeof fetch;
  const movers = useMovers();
  await movers.open();
  return { doc, movers, stage: useStage() };
}

beforeEach(() => {
  [asked, refuses] = [[], ''];
  search = { id: 'x', state: 'done', movers: [0, 1].map(found) as SearchView['movers'] };
  startQuietly(9);
});

describe('what moves by itself', () => {
  it('is listed once the search is done, not before', async () => {
    const { movers } = await bench();
    expect([movers.movers.length, movers.busy]).toEqual([2, false]);
    search = { ...search, state: 'running' };
    await movers.open();
    expect([movers.movers.length, movers.busy]).toEqual([0, true]);
    search = null;
    await movers.open();
    expect([movers.search, movers.busy]).toEqual([null, false]);
  });

  it('is waited for from the press on, before the server has answered and whatever was found before', async () => {
    const { movers } = await bench();
    for (const found of [
      null,
      { id: 'x', state: 'done', stage: 'movers', progress: 1, movers: [] },
    ] as (typeof search)[]) {
      search = found;
      await movers.open();
      const started = movers.start();
      expect([movers.busy, movers.doing]).toEqual([true, { stage: '', progress: 0 }]);
      search = { id: 'y', state: 'running', stage: 'motion', progress: 0.4 };
      await started;
      expect([movers.busy, movers.doing]).toEqual([true, { stage: 'motion', progress: 0.4 }]);
    }
  });

  it('goes away with its shadow as a removal of its own, with a key on every frame and seen on these alone', async () => {
    const { doc, movers, stage } = await bench();
    await movers.goesAway(1);
    expect(asked).toContain('GET /api/shots/s/movers/1/outlines');
    const removal = doc.document.removals[stage.removalId];
    const [shape] = Object.values(removal.shapes);
    expect([removal.name, removal.shadowStays, shape.visible]).toEqual(['Mover 2', undefined, { from: 3, to: 4 }]);
    expect(Object.keys(shape.keys)).toEqual(['3', '4']);
    expect(shape.keys[4].points[0]).toMatchObject({ x: 101, y: 0 });
  });

  it('goes away without its shadow where that may stay', async () => {
    const { doc, movers, stage } = await bench();
    movers.shadows = false;
    await movers.goesAway(0);
    expect(asked).toContain('GET /api/shots/s/movers/0/outlines-without-shadow');
    expect(doc.document.removals[stage.removalId].shadowStays).toBe(true);
  });

  it('goes away all together, as one removal and one step of undo', async () => {
    const { doc, movers, stage } = await bench();
    await movers.allGoAway();
    const removal = doc.document.removals[stage.removalId];
    expect(Object.values(removal.shapes).map((s) => s.name)).toEqual(['Mover 1', 'Mover 2']);
    expect(doc.undoLabel).toBe('Take away all that moves');
    doc.undo();
    expect(doc.document.removals).toEqual({});
  });

  it('goes away under its own name if it is all that moves', async () => {
    search = { ...search, movers: [found(0)] as SearchView['movers'] };
    const { doc, movers, stage } = await bench();
    await movers.allGoAway();
    expect([doc.document.removals[stage.removalId].name, doc.undoLabel]).toEqual(['Mover 1', 'Take away “Mover 1”']);
  });

  it('stays in front of the removal at hand, without its shadow, and is cut out to the px next', async () => {
    const { doc, movers, stage } = await bench();
    const asked = answerQuietly(({ path }) => (path.includes('/movers/0/outlines') ? outlinesOf(0) : undefined));
    let id = '';
    doc.edit('Add', (draft) => void (id = addRemoval(draft)));
    stage.selectRemoval(id);
    await movers.staysInFront(0);
    const softens = (): boolean => asked.some(({ path }) => path.endsWith('/soften'));
    for (const end = Date.now() + 8000; !softens() && Date.now() < end;) await new Promise((go) => setTimeout(go, 5));
    expect(asked).toMatchObject([
      { path: '/shots/s/movers/0/outlines-without-shadow' },
      { path: `/shots/s/shapes/${stage.shapeId}/soften`, body: { apart: true, completes: expect.any(String) } },
    ]);
    const outline = stage.shapeId;
    const shape = doc.document.removals[id].shapes[outline];
    expect([shape.operation, shape.name]).toEqual(['hold', 'Mover 1']);
    // Once the matte counts in its place that is chosen; whoever goes back to the outline keeps it.
    let matte = '';
    doc.edit('Soften', (draft) => void (matte = addVariant(draft.removals[id], outline)));
    await nextTick();
    expect(stage.shapeId).toBe(matte);
    stage.selectShape(outline);
    doc.edit('Rename', (draft) => void (draft.removals[id].name = 'Other'));
    await nextTick();
    expect(stage.shapeId).toBe(outline);
  });

  it('knows what has been made of it, and takes away what is left', async () => {
    const { doc, movers, stage } = await bench();
    expect([movers.uses, movers.left]).toEqual([
      [undefined, undefined],
      [0, 1],
    ]);
    await movers.goesAway(1);
    expect([movers.uses, movers.left]).toEqual([[undefined, 'goes'], [0]]);
    await movers.staysInFront(0);
    expect(movers.uses).toEqual(['stays', 'goes']);
    // What stays in front of one thing may go away, and may stay in front of another one.
    stage.selectRemoval('');
    expect(movers.uses).toEqual([undefined, 'goes']);
    await movers.allGoAway();
    expect([movers.uses, Object.keys(doc.document.removals).length]).toEqual([['goes', 'goes'], 2]);
    doc.undo();
    doc.undo();
    doc.undo();
    expect(movers.left).toEqual([0, 1]);
  });

  it('changes nothing where there is no removal to stay in front of, or its outlines cannot be had', async () => {
    const { doc, movers } = await bench();
    await movers.staysInFront(0);
    refuses = '/movers/1/';
    await movers.allGoAway();
    expect([doc.document.removals, useWork().failure]).toEqual([{}, 'It is gone.']);
  });
});
