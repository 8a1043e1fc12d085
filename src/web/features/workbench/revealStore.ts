import { defineStore } from 'pinia';
import { computed, ref, shallowRef, watch } from 'vue';
import { marksOf, marksText, revealText } from '../../../contract/document.ts';
import type { RevealData, RevealView } from '../../../contract/takes.ts';
import { api, ApiError, urls } from '../../api/client.ts';
import { onServerEvent } from '../../api/events.ts';
import { useDocument } from '../../document/documentStore.ts';
import { useMovers } from './moversStore.ts';
import { useStage } from './stageStore.ts';

/** Marks rest this long before their reveal is asked for, ms: not once per edit of a quick hand. */
const REST_MS = 500;

interface Held {
  view: RevealView;
  maps?: Uint8Array;
}

/** What the shot remembers behind each removal. Asked for again whenever marks, range or sources change. */
export const useReveal = defineStore('reveal', () => {
  const doc = useDocument();
  const stage = useStage();
  const movers = useMovers();
  const held = shallowRef<Record<string, Held>>({});
  /** The newest data of each removal, kept on the screen while newer is computed. */
  const data = computed<Record<string, RevealData | null>>(() => last.value);
  const last = ref<Record<string, RevealData | null>>({});
  let timer: ReturnType<typeof setTimeout> | undefined;

  const basis = computed(() => {
    const node = marksOf(doc.document, stage.removalId);
    const { shot } = doc;
    if (!node || !shot || Object.keys(node.shapes).length === 0) return '';
    const { first, last: end, handleBefore, handleAfter } = shot;
    // The coverage is watched with what a search found.
    const search = movers.search?.state === 'done' ? movers.search.id : '';
    const range = [first, end, handleBefore, handleAfter, node.shadowStays === true];
    return [stage.removalId, marksText(node), revealText(node.settings), ...range, search].join('|');
  });

  watch(basis, () => later());
  watch(
    () => doc.unsent,
    (n) => n === 0 && later(),
  );

  function later(): void {
    clearTimeout(timer);
    // The server computes what it knows: edits on their way must have arrived.
    if (basis.value !== '' && doc.unsent === 0) timer = setTimeout(() => void ask(stage.removalId), REST_MS);
  }

  async function ask(removalId: string, retry = false): Promise<void> {
    const { shotId } = doc;
    try {
      const view = await (retry ? api.retryReveal(shotId, removalId) : api.reveal(shotId, removalId));
      if (shotId !== doc.shotId) return;
      const before = held.value[removalId];
      const same = view.data && before?.view.data?.key === view.data.key;
      held.value = { ...held.value, [removalId]: { view, maps: same ? before.maps : undefined } };
      if (!view.data) return;
      last.value = { ...last.value, [removalId]: view.data };
      if (!same) void loadMaps(removalId, view);
    } catch (error) {
      const gone = error instanceof ApiError && !error.passing;
      if (gone) held.value = { ...held.value, [removalId]: { view: emptyView(error) } };
    }
  }

  async function loadMaps(removalId: string, view: RevealView): Promise<void> {
    const response = await fetch(urls.revealMaps(view.data!.key)).catch(() => undefined);
    if (!response?.ok) return;
    const maps = new Uint8Array(await response.arrayBuffer());
    if (held.value[removalId]?.view.data?.key === view.data!.key) {
      held.value = { ...held.value, [removalId]: { view, maps } };
    }
  }

  onServerEvent((event) => {
    if (!stage.removalId || basis.value === '') return;
    if (!event || (event.kind === 'reveal' && event.shotId === doc.shotId)) {
      // Every removal of the shot that is being looked at, not only the one that changed last.
      void ask(event?.id ?? stage.removalId);
    }
  });

  function reset(): void {
    held.value = {};
    last.value = {};
  }

  return {
    data,
    reset,
    view: (removalId: string): RevealView | undefined => held.value[removalId]?.view,
    maps: (removalId: string): Uint8Array | undefined => held.value[removalId]?.maps,
    retry: (removalId: string) => ask(removalId, true),
  };
});

const emptyView = (error: ApiError): RevealView => ({
  state: 'failed',
  progress: 0,
  error: { code: error.code, message: error.message },
  data: null,
});
