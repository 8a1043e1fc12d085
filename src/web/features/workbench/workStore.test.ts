import { beforeEach, describe, expect, it } from '@jest/globals';
import type { ExportView, TakeView } from '../../../contract/takes.ts';
import { useDocument } from '../../document/documentStore.ts';
import { addRemoval } from '../../document/edits.ts';
import { answerQuietly, openQuietly, refusal, startQuietly, tell, type Asked } from '../../testing/quietServer.ts';
import { useWork } from './workStore.ts';

const settle = (ms = 20): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));
const take = (id: string, more: Partial<TakeView> = {}): TakeView =>
  ({ id, removalId: 'r', state: 'done', picked: false, playable: true, finished: [], ...more }) as TakeView;

let takes: TakeView[];
let exports: Partial<ExportView>[];
let added: () => unknown;
let asked: Asked[];

async function bench() {
  await openQuietly();
  asked = answerQuietly(({ method, path }) => {
    if (method === 'POST') return added();
    if (path === '/shots/s/takes') return takes;
    return path === '/shots/s/exports' ? exports : undefined;
  });
  const work = useWork();
  await work.open();
  return work;
}

const event = (kind: string, shotId = 's'): void => tell({ kind, shotId } as Parameters<typeof tell>[0]);
const paths = (): string[] => asked.map(({ method, path }) => `${method} ${path}`);

beforeEach(() => {
  startQuietly(9);
  takes = [take('a'), take('b', { picked: true }), take('c', { removalId: 'other', picked: true })];
  exports = [];
  added = () => undefined;
});

describe('takes and exports', () => {
  it('are found by thing, by id, and by what was picked', async () => {
    const work = await bench();
    expect(work.takesOf('r').map(({ id }) => id)).toEqual(['a', 'b']);
    expect([work.pickOf('r')?.id, work.pickOf('none'), work.takeById('c')?.removalId]).toEqual([
      'b',
      undefined,
      'other',
    ]);
  });

  it('are read again when the server tells of them, each by itself, and takes when marks change', async () => {
    await bench();
    asked.length = 0;
    event('take');
    event('shot');
    event('export');
    event('take', 'another');
    event('reveal');
    await settle();
    expect(paths()).toEqual(['GET /shots/s/takes', 'GET /shots/s/takes', 'GET /shots/s/exports']);
  });

  it('are those of the answer that was asked for last, whichever comes first', async () => {
    const work = await bench();
    const answers: ((list: TakeView[]) => void)[] = [];
    asked = answerQuietly(() => new Promise((resolve) => answers.push(resolve)));
    event('take');
    event('take');
    answers[1]([take('new')]);
    await settle();
    answers[0]([take('old')]);
    await settle();
    expect(work.takes.map(({ id }) => id)).toEqual(['new']);
  });

  it('stay as they are known while the server does not answer', async () => {
    const work = await bench();
    asked = answerQuietly(() => refusal('Away.'));
    event('take');
    await settle();
    expect(work.takes).toHaveLength(3);
  });

  it('at work are told from those that have ended', async () => {
    takes = [take('a', { state: 'queued' }), take('b'), take('c', { state: 'failed' })];
    exports = [
      { id: 'x', state: 'running' },
      { id: 'y', state: 'done' },
    ];
    const work = await bench();
    expect(work.running.map(({ id }) => id)).toEqual(['a', 'x']);
  });
});

describe('a new take', () => {
  it('is asked for with what it is to be, and is in the list when it is there', async () => {
    const work = await bench();
    added = () => {
      takes = [...takes, take('d', { state: 'queued' })];
      return takes.at(-1);
    };
    const made = await work.startTake('r', true, { only: { first: 2, last: 5 }, seed: 7 });
    expect([made?.id, work.takeById('d')?.state]).toEqual(['d', 'queued']);
    expect(asked.find(({ method }) => method === 'POST')).toEqual({
      ...{ method: 'POST', path: '/shots/s/takes' },
      body: { removalId: 'r', draft: true, seed: 7, only: { first: 2, last: 5 } },
    });
  });

  it('is asked for once the server knows the edits', async () => {
    const work = await bench();
    const doc = useDocument();
    added = () => take('d');
    doc.edit('Add', (draft) => void addRemoval(draft));
    const made = work.startTake('r', true);
    expect([doc.unsent, paths().some((path) => path.startsWith('POST'))]).toEqual([1, false]);
    await made;
    expect([doc.unsent, paths().some((path) => path.startsWith('POST'))]).toEqual([0, true]);
  });

  it('that is refused leaves the list, and says why', async () => {
    const work = await bench();
    added = () => refusal('Nothing is marked.');
    expect(await work.startTake('r', false)).toBeUndefined();
    expect([work.failure, work.takes.length]).toEqual(['Nothing is marked.', 3]);
  });
});

describe('a pick that was trimmed by hand', () => {
  it('gets a new copy to play once the hand rests, once for all its moves', async () => {
    await bench();
    for (const playable of [false, true, false]) {
      takes = [take('b', { picked: true, playable })];
      event('take');
      await settle(20);
    }
    expect(paths().filter((path) => path.startsWith('POST'))).toEqual([]);
    await settle(2500);
    expect(paths().filter((path) => path.startsWith('POST'))).toEqual(['POST /takes/b/preview']);
  });
});
