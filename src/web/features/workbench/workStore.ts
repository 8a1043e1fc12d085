import { defineStore } from 'pinia';
import { computed, ref, shallowRef, watch } from 'vue';
import type { ExportBody, ExportView, TakeBody, TakeView } from '../../../contract/takes.ts';
import { api } from '../../api/client.ts';
import { onServerEvent } from '../../api/events.ts';
import { useDocument } from '../../document/documentStore.ts';

/** A trim rests this long before a playable copy is made with it, ms. */
const REST_MS = 1500;

/** Takes and exports of the shot at hand, kept true by the server's events. */
export const useWork = defineStore('work', () => {
  const doc = useDocument();
  const takes = shallowRef<TakeView[]>([]);
  const exports = shallowRef<ExportView[]>([]);
  const failure = ref('');
  const asked = { takes: 0, exports: 0 };

  async function load<T>(kind: keyof typeof asked, ask: () => Promise<T[]>, into: { value: T[] }): Promise<void> {
    const mine = ++asked[kind];
    const list = await ask().catch(() => undefined);
    if (list && mine === asked[kind]) into.value = list;
  }

  const loadTakes = (): Promise<void> => load('takes', () => api.takes(doc.shotId), takes);
  const loadExports = (): Promise<void> => load('exports', () => api.exports(doc.shotId), exports);

  async function open(): Promise<void> {
    takes.value = [];
    exports.value = [];
    await Promise.all([loadTakes(), loadExports()]);
  }

  onServerEvent((event) => {
    if (!doc.shotId || (event && event.shotId !== doc.shotId)) return;
    // A change of the document may make takes stale.
    if (!event || event.kind === 'take' || event.kind === 'shot') void loadTakes();
    if (!event || event.kind === 'export') void loadExports();
  });

  /** Does something that may fail; a failure is shown in a sentence. */
  async function act<T>(work: () => Promise<T>): Promise<T | undefined> {
    try {
      return await work();
    } catch (error) {
      failure.value = (error as Error).message;
      return undefined;
    }
  }

  /** @param more - Frames that alone are filled; a seed for another try. */
  const startTake = (
    removalId: string,
    draft: boolean,
    { only, seed }: Pick<TakeBody, 'only' | 'seed'> = {},
  ): Promise<TakeView | undefined> =>
    act(async () => {
      await doc.whenSent();
      const take = await api.addTake(doc.shotId, { removalId, draft, seed, ...(only && { only: { ...only } }) });
      await loadTakes();
      return take;
    });

  const startExport = (body: ExportBody): Promise<ExportView | undefined> =>
    act(async () => {
      await doc.whenSent();
      const row = await api.addExport(doc.shotId, body);
      await loadExports();
      return row;
    });

  /** Takes whose hand trims changed get a new playable copy once the hand rests. */
  let rest: ReturnType<typeof setTimeout> | undefined;
  const outdated = computed(() => takes.value.filter((t) => t.state === 'done' && t.picked && !t.playable));
  watch(outdated, (list) => {
    clearTimeout(rest);
    if (list.length > 0) rest = setTimeout(() => list.forEach((t) => void act(() => api.previewTake(t.id))), REST_MS);
  });

  const takesOf = (removalId: string): TakeView[] => takes.value.filter((t) => t.removalId === removalId);
  /** Takes of chosen frames are for looking at: the shot is not done with them. */
  const wholeTakesOf = (removalId: string): TakeView[] => takesOf(removalId).filter((t) => !t.only);
  const takeById = (id: string): TakeView | undefined => takes.value.find((t) => t.id === id);
  const pickOf = (removalId: string): TakeView | undefined => takesOf(removalId).find((t) => t.picked);
  const running = computed(() => [...takes.value, ...exports.value].filter((w) => isBusy(w.state)));

  const lists = { takes, exports, failure, running, takesOf, wholeTakesOf, takeById, pickOf };
  return { ...lists, open, act, startTake, startExport };
});

export const isBusy = (state: string): boolean => state === 'queued' || state === 'running';
