import { beforeEach, describe, expect, it, jest } from '@jest/globals';
import jsonpatch, { type Operation } from 'fast-json-patch';
import { createPinia, setActivePinia } from 'pinia';
import { watch } from 'vue';
import { newRemoval, type ShotDocument } from '../../contract/document.ts';
import type { EditBody, ShotState, StepBody } from '../../contract/shots.ts';
import { addRemoval } from './edits.ts';

/** A server in a few lines: one shot, whose edits it applies once, refuses, or does not answer: not asked or just not heard. */
class FakeServer {
  document: ShotDocument = { removals: {}, tracks: {} };
  revision = 0;
  edits: EditBody[] = [];
  private undone: EditBody[][] = [];
  mood: 'well' | 'away' | 'unheard' | 'refuses' = 'well';
  private readonly known = new Set<string>();

  state(): ShotState {
    const shot = {
      id: 's',
      clipId: 'c',
      name: 'Shot',
      first: 0,
      last: 9,
      handleBefore: 0,
      handleAfter: 0,
      createdAt: '',
    };
    const undo = this.edits.at(-1)?.label ?? null;
    const redo = this.undone.at(-1)?.[0].label ?? null;
    return { shot, document: structuredClone(this.document), revision: this.revision, undo, redo };
  }

  private edit(edit: EditBody): void {
    this.document = jsonpatch.applyPatch(this.document, edit.patch as Operation[]).newDocument;
    this.edits.push(edit);
    this.revision++;
  }

  /** Takes back the last edit with what it completes: a document of removals that were only added. */
  private undo(): void {
    const step: EditBody[] = [];
    do {
      step.unshift(this.edits.pop()!);
      const [{ path }] = step[0].patch;
      this.document = jsonpatch.applyPatch(this.document, [{ op: 'remove', path }]).newDocument;
    } while (step[0].completes);
    this.undone.push(step);
    this.revision++;
  }

  /** Whether an edit or a step comes for the first time. */
  private isNew(id: string): boolean {
    return this.known.size < this.known.add(id).size;
  }

  answer(path: string, init: RequestInit): { status: number; body: unknown } {
    if (this.mood === 'away') throw new TypeError('fetch failed');
    if (path.endsWith('/edits')) {
      if (this.mood === 'refuses') return { status: 409, body: { code: 'conflict', message: 'Changed elsewhere.' } };
      const edit = JSON.parse(init.body as string) as EditBody;
      if (this.isNew(edit.editId)) {
        this.edit(edit);
        this.undone = [];
      }
    }
    if (/(un|re)do$/.test(path) && this.isNew((JSON.parse(init.body as string) as StepBody).stepId)) {
      if (path.endsWith('/undo')) this.undo();
      else this.undone.pop()!.forEach((edit) => this.edit(edit));
    }
    if (this.mood === 'unheard') throw new TypeError('connection lost');
    return { status: 200, body: this.state() };
  }
}

let server: FakeServer;
/** What another page adds. */
const theirs = [{ op: 'add', path: '/removals/theirs', value: { ...newRemoval({}, 'Their thing') } }];

class NoEvents {
  addEventListener(): void {
    // Nothing is told: the test asks.
  }
}
(globalThis as { EventSource?: unknown }).EventSource = NoEvents;

const { useDocument } = await import('./documentStore.ts');

beforeEach(() => {
  server = new FakeServer();
  setActivePinia(createPinia());
  globalThis.fetch = jest.fn((input: unknown, init?: RequestInit) => {
    try {
      const { status, body } = server.answer(String(input), init ?? {});
      return Promise.resolve(new Response(JSON.stringify(body), { status }));
    } catch (error) {
      return Promise.reject(error as Error);
    }
  }) as typeof fetch;
});

const settle = (ms = 20): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

async function opened(): Promise<ReturnType<typeof useDocument>> {
  const store = useDocument();
  await store.open('s');
  return store;
}

const names = (document: ShotDocument): string[] => Object.values(document.removals).map((r) => r.name);

describe('the document in the page', () => {
  it('shows an edit at once and has it confirmed', async () => {
    const store = await opened();
    store.edit('Add', (d) => void addRemoval(d));
    expect([names(store.document), store.unsent, store.undoLabel]).toEqual([['Thing 1'], 1, 'Add']);
    await settle();
    expect([names(store.document), store.unsent, server.revision]).toEqual([['Thing 1'], 0, 1]);
  });

  it('sends nothing for an edit that changes nothing', async () => {
    const store = await opened();
    store.edit('Nothing', () => undefined);
    await settle();
    expect([store.unsent, server.revision]).toEqual([0, 0]);
  });

  it('keeps edits while the server is away, sends each once and in order when it is back', async () => {
    const store = await opened();
    server.mood = 'away';
    store.edit('Add one', (d) => void addRemoval(d));
    store.edit('Add two', (d) => void addRemoval(d));
    await settle();
    expect([store.offline, store.unsent, names(store.document)]).toEqual([true, 2, ['Thing 1', 'Thing 2']]);
    expect(store.stored).toBe(2);
    server.mood = 'well';
    await settle(1300);
    expect([store.offline, store.unsent]).toEqual([false, 0]);
    expect(server.edits.map((e) => e.label)).toEqual(['Add one', 'Add two']);
    expect(server.edits.map((e) => e.base)).toEqual([0, 1]);
  });

  it('takes back an edit that was never sent at once, and the server has it neither when it is back', async () => {
    const store = await opened();
    server.mood = 'away';
    store.edit('Add one', (d) => void addRemoval(d));
    store.edit('Add two', (d) => void addRemoval(d));
    await settle();
    store.undo();
    expect([names(store.document), store.undoLabel, store.redoLabel]).toEqual([['Thing 1'], 'Add one', 'Add two']);
    server.mood = 'well';
    await settle(1300);
    expect([server.edits.map((e) => e.label), store.unsent]).toEqual([['Add one'], 0]);
  });

  it('takes back unsent edits together with the one that they complete', async () => {
    const store = await opened();
    server.mood = 'away';
    store.edit('Add one', (d) => void addRemoval(d));
    await settle();
    const second = store.edit('Add two', (d) => void addRemoval(d));
    store.edit('Add two', (d) => void addRemoval(d), second);
    store.undo();
    expect([names(store.document), store.redoLabel]).toEqual([['Thing 1'], 'Add two']);
    store.redo();
    expect(names(store.document)).toEqual(['Thing 1', 'Thing 2', 'Thing 3']);
    server.mood = 'well';
    await settle(1300);
    expect(names(server.document)).toEqual(['Thing 1', 'Thing 2', 'Thing 3']);
  });

  it('makes an edit again at once whose undo is on its way, and does not redo past a new edit', async () => {
    const store = await opened();
    store.edit('Add', (d) => void addRemoval(d));
    store.undo();
    store.redo();
    expect([names(store.document), store.redoLabel]).toEqual([['Thing 1'], null]);
    await settle();
    expect([names(store.document), names(server.document), store.unsent]).toEqual([['Thing 1'], ['Thing 1'], 0]);
    store.undo();
    await settle();
    expect(store.redoLabel).toBe('Add');
    store.edit('Add again', (d) => void addRemoval(d));
    store.redo();
    await settle();
    expect([names(server.document), server.edits.map((e) => e.label)]).toEqual([['Thing 1'], ['Add again']]);
  });

  it('undoes an edit whose answer is still awaited: at once on the page, on the server when it answers', async () => {
    const store = await opened();
    store.edit('Add', (d) => void addRemoval(d));
    store.undo();
    expect([names(store.document), store.undoLabel]).toEqual([[], null]);
    store.edit('Add again', (d) => void (d.removals[addRemoval(d)].name = 'Later'));
    await settle();
    expect(server.edits.map((e) => e.label)).toEqual(['Add again']);
    expect([names(store.document), names(server.document), store.unsent]).toEqual([['Later'], ['Later'], 0]);
  });

  it('does not show an edit again for a moment whose undo waits behind it', async () => {
    const store = await opened();
    store.edit('Add', (d) => void addRemoval(d));
    store.undo();
    const shown: number[] = [];
    const stop = watch(
      () => names(store.document).length,
      (count) => shown.push(count),
    );
    await settle();
    stop();
    expect([shown, store.unsent, server.revision]).toEqual([[], 0, 2]);
  });

  it('takes back at once what the server has just taken, with what it completes, also while it is away', async () => {
    const store = await opened();
    store.edit('Add one', (d) => void addRemoval(d));
    await settle();
    const two = store.edit('Add two', (d) => void addRemoval(d));
    store.edit('Add two', (d) => void addRemoval(d), two);
    await settle();
    expect([names(store.document).length, store.unsent]).toEqual([3, 0]);
    server.mood = 'away';
    store.undo();
    await settle();
    expect([names(store.document), store.offline, names(server.document).length]).toEqual([['Thing 1'], true, 3]);
    store.redo();
    expect(names(store.document)).toHaveLength(3);
    store.undo();
    store.edit('Add another', (d) => void (d.removals[addRemoval(d)].name = 'Other'));
    expect(names(store.document)).toEqual(['Thing 1', 'Other']);
    server.mood = 'well';
    await settle(1300);
    expect([names(store.document), names(server.document)]).toEqual([
      ['Thing 1', 'Other'],
      ['Thing 1', 'Other'],
    ]);
  });

  it('does not take back at once what another page has done since', async () => {
    const store = await opened();
    store.edit('Add', (d) => void addRemoval(d));
    await settle();
    server.answer('/edits', { body: JSON.stringify({ editId: 'theirs', base: 1, label: 'Theirs', patch: theirs }) });
    await store.refresh();
    server.mood = 'away';
    store.undo();
    await settle();
    // The step is the server's to take: it knows what came last.
    expect(names(store.document)).toEqual(['Thing 1', 'Their thing']);
    server.mood = 'well';
    await settle(1300);
    expect([names(store.document), store.unsent]).toEqual([names(server.document), 0]);
  });

  it('undoes such an edit also if the server was away meanwhile', async () => {
    const store = await opened();
    server.mood = 'away';
    store.edit('Add', (d) => void addRemoval(d));
    await settle();
    store.undo();
    expect(names(store.document)).toEqual([]);
    server.mood = 'well';
    await settle(1300);
    expect([names(store.document), server.edits, server.revision, store.unsent]).toEqual([[], [], 2, 0]);
  });

  it('takes one step back where the answer to it was lost', async () => {
    const store = await opened();
    for (const label of ['Add one', 'Add two', 'Add three']) store.edit(label, (d) => void addRemoval(d));
    await settle();
    server.mood = 'unheard';
    store.undo();
    await settle();
    expect([store.offline, server.revision]).toEqual([true, 4]);
    server.mood = 'well';
    await settle(1300);
    expect([names(store.document), store.undoLabel, server.revision]).toEqual([['Thing 1', 'Thing 2'], 'Add two', 4]);
    store.undo();
    await settle();
    expect([names(store.document), server.revision]).toEqual([['Thing 1'], 5]);
  });

  it('says when an edit was refused, and shows what the server has', async () => {
    const store = await opened();
    server.mood = 'refuses';
    store.edit('Add', (d) => void addRemoval(d));
    await settle();
    expect(store.refusal).toBe('“Add” was not taken. Changed elsewhere.');
    expect([store.unsent, names(store.document)]).toEqual([0, []]);
  });

  it('takes nothing else back where the edit was refused that was to be taken back', async () => {
    const store = await opened();
    store.edit('Add', (d) => void addRemoval(d));
    await settle();
    server.mood = 'refuses';
    store.edit('Add another', (d) => void addRemoval(d));
    store.undo();
    await settle();
    expect([names(store.document), names(server.document), store.unsent]).toEqual([['Thing 1'], ['Thing 1'], 0]);
  });

  it('is not set back by an answer that comes late', async () => {
    const store = await opened();
    const old = server.state();
    store.edit('Add', (d) => void addRemoval(d));
    await settle();
    store.accept(old);
    expect(names(store.document)).toEqual(['Thing 1']);
  });
});
