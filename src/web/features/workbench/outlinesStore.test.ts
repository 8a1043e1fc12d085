import { beforeEach, describe, expect, it, jest } from '@jest/globals';
import type { PointBody } from '../../../contract/outlines.ts';
import type { EditBody } from '../../../contract/shots.ts';
import { answerQuietly, openQuietly, refusal, startQuietly, tell, type Asked } from '../../testing/quietServer.ts';
import { useMovers } from './moversStore.ts';
import { useOutlines, type Gesture } from './outlinesStore.ts';
import { useStage } from './stageStore.ts';
import { useWork } from './workStore.ts';

const square = [10, 10, 30, 10, 30, 30, 10, 30];
const settle = (): Promise<void> => new Promise((resolve) => setTimeout(resolve, 20));
const click = (x: number, kind: 'add' | 'remove' = 'add'): Gesture => ({ kind, stroke: [x, x] });
const paint = (kind: 'paint' | 'erase'): Gesture => ({ kind, stroke: [1, 2, 3, 4], brush: 8 });

/** The outlines that the server finds, one after the other. */
let found: (unknown | Promise<unknown>)[];
let asked: Asked[];

/** A shot without marks that has been searched. */
async function bench() {
  const doc = await openQuietly();
  asked = answerQuietly(({ path }) => {
    if (path.endsWith('/movers')) return { search: { id: 'x', state: 'done', movers: [] } };
    return path.endsWith('/outlines') ? found.shift() : undefined;
  });
  await useMovers().open();
  return { doc, outlines: useOutlines(), stage: useStage(), work: useWork() };
}

const pointed = (): PointBody[] =>
  asked.filter(({ path }) => path.endsWith('/outlines')).map(({ body }) => body as PointBody);

beforeEach(() => {
  startQuietly(9);
  found = Array.from({ length: 9 }, () => ({ outline: square }));
});

describe('pointing at a thing', () => {
  it('makes a thing of what is found, seen on its frame alone until it is followed', async () => {
    const { doc, outlines, stage } = await bench();
    await outlines.point(3, click(20));
    expect(pointed()).toEqual([{ frame: 3, add: [[20, 20]], remove: [] }]);
    const shape = doc.document.removals[stage.removalId].shapes[stage.shapeId];
    expect([Object.keys(shape.keys), shape.visible]).toEqual([['3'], { from: 3, to: 3 }]);
    expect(shape.outline!.anchors[3]).toEqual({ add: [[20, 20]], remove: [] });
  });

  it('again asks for all that was pointed at on that frame, its box too', async () => {
    const { doc, outlines } = await bench();
    await outlines.point(3, { kind: 'box', box: [5, 5, 40, 40] });
    await outlines.point(3, click(20));
    await outlines.point(3, click(7, 'remove'));
    expect(pointed().at(-1)).toEqual({ frame: 3, add: [[20, 20]], remove: [[7, 7]], box: [5, 5, 40, 40] });
    expect(Object.keys(doc.document.removals)).toHaveLength(1);
  });

  it('asks one after the other, each on what the one before has found', async () => {
    const { outlines } = await bench();
    let first: (outline: unknown) => void = () => undefined;
    found = [new Promise((resolve) => (first = resolve)), { outline: square }];
    const both = [outlines.point(3, click(20)), outlines.point(3, click(25))];
    await settle();
    expect([pointed().length, outlines.waiting]).toEqual([1, 2]);
    first({ outline: square });
    await Promise.all(both);
    expect([pointed()[1].add, outlines.waiting]).toEqual([
      [
        [20, 20],
        [25, 25],
      ],
      0,
    ]);
  });
});

describe('an outline found before it was known what moves', () => {
  const wider = [5, 5, 35, 5, 35, 35, 5, 35];
  /** A shot whose search goes on; `done` ends it. */
  async function searching() {
    const all = await bench();
    let state = 'running';
    asked = answerQuietly(({ path }) => {
      if (path.endsWith('/movers')) return { search: { id: 'x', state, movers: [] } };
      return path.endsWith('/outlines') ? found.shift() : undefined;
    });
    await useMovers().open();
    const done = async (): Promise<void> => {
      state = 'done';
      tell({ kind: 'search', id: 'x', shotId: 's' });
      await settle();
    };
    return { ...all, done };
  }
  const pointsAt = (doc: Awaited<ReturnType<typeof bench>>['doc']): number =>
    Object.values(Object.values(doc.document.removals)[0].shapes)[0].keys[3].points[0].x;

  it('is looked for again once it is, as one step of undo with the first', async () => {
    const { doc, outlines, done } = await searching();
    found = [{ outline: square }, { outline: wider }, { outline: wider }];
    await outlines.point(3, click(20));
    expect(pointsAt(doc)).toBe(10);
    await done();
    expect([pointsAt(doc), outlines.waiting, pointed().length]).toEqual([5, 0, 2]);
    expect(pointed()[1]).toEqual(pointed()[0]);
    const edits = jest
      .mocked(globalThis.fetch)
      .mock.calls.filter(([path]) => String(path).endsWith('/edits'))
      .map(([, init]) => JSON.parse(init!.body as string) as EditBody);
    expect(edits[1].completes).toBe(edits[0].editId);
    // It is known now: nothing is asked twice.
    await outlines.point(3, click(25));
    await done();
    expect(pointed()).toHaveLength(3);
  });

  it('stays as it is where somebody has changed it meanwhile', async () => {
    const { doc, outlines, stage, done } = await searching();
    found = [{ outline: square }, { outline: wider }];
    await outlines.point(3, click(20));
    doc.edit('By hand', (draft) => {
      draft.removals[stage.removalId].shapes[stage.shapeId].keys[3].points[0].x = 11;
    });
    await done();
    expect([pointsAt(doc), pointed().length]).toEqual([11, 1]);
  });

  it('stays if nothing is found then, and nothing is said', async () => {
    const { doc, outlines, work, done } = await searching();
    found = [{ outline: square }, refusal('The frame is gone.')];
    await outlines.point(3, click(20));
    await done();
    expect([pointsAt(doc), work.failure]).toEqual([10, '']);
  });
});

describe('the brush', () => {
  it('mends the outline that is there: with it alone is asked, on it all that follows is laid', async () => {
    const { outlines } = await bench();
    await outlines.point(3, click(20));
    await outlines.point(3, paint('paint'));
    await outlines.point(3, paint('erase'));
    await outlines.point(3, click(15));
    const [, painted, erased, clicked] = pointed();
    expect(painted).toEqual({ frame: 3, add: [[1, 2, 3, 4]], remove: [], prior: square, brush: 8 });
    expect(erased).toEqual({ frame: 3, add: [], remove: [[1, 2, 3, 4]], prior: square, brush: 8 });
    // A fresh search would forget what was painted.
    expect(clicked).toEqual({ frame: 3, add: [[15, 15]], remove: [], prior: square });
    expect(outlines.pointedAt(3)).toMatchObject({
      mends: true,
      add: [
        [20, 20],
        [1, 2, 3, 4],
        [15, 15],
      ],
    });
  });
});

describe('what cannot be told apart', () => {
  it('is said, and nothing is marked', async () => {
    const { doc, outlines, work } = await bench();
    found = [{ outline: [] }];
    await outlines.point(3, click(20));
    expect([doc.document.removals, work.failure]).toEqual([{}, expect.stringMatching(/^Nothing could be told apart/)]);
  });

  it('does not keep the next one from being looked for', async () => {
    const { doc, outlines, work } = await bench();
    found = [refusal('The frame is gone.'), { outline: square }];
    await outlines.point(3, click(20));
    expect([work.failure, outlines.waiting]).toEqual(['The frame is gone.', 0]);
    await outlines.point(3, click(20));
    expect(Object.keys(doc.document.removals)).toHaveLength(1);
  });
});

describe('an outline that was followed', () => {
  it('is followed anew when it is pointed at again, as one step of undo', async () => {
    const { doc, outlines, stage } = await bench();
    await outlines.point(3, click(20));
    doc.edit('As if followed', (draft) => {
      const shape = draft.removals[stage.removalId].shapes[stage.shapeId];
      for (const f of [2, 4, 5]) shape.keys[f] = structuredClone(shape.keys[3]);
      shape.visible = { from: 2, to: 5 };
    });
    await settle();
    await outlines.point(4, click(22));
    await settle();
    const follow = asked.find(({ path }) => path === `/shots/s/shapes/${stage.shapeId}/follow`);
    expect(follow?.body).toEqual({ completes: expect.any(String) });
  });
});

describe('the search for what moves', () => {
  it('begins with the first gesture where the shot has not been searched, and once', async () => {
    const { outlines } = await bench();
    asked = answerQuietly(({ method, path }) => {
      if (path.endsWith('/outlines')) return { outline: square };
      return path.endsWith('/movers') && method === 'GET' ? { search: null } : undefined;
    });
    await useMovers().open();
    await outlines.point(3, click(20));
    await outlines.point(3, click(21));
    expect(asked.filter(({ method, path }) => method === 'POST' && path.endsWith('/movers'))).toHaveLength(1);
  });
});
