import { applyPatch, compare, type Operation } from 'fast-json-patch';
import { until } from '@vueuse/core';
import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import type { ShotDocument } from '../../contract/document.ts';
import type { PatchOperation, ShotState, ShotView } from '../../contract/shots.ts';
import { api, ApiError } from '../api/client.ts';
import { onServerEvent } from '../api/events.ts';
import { beforeNewest } from './beforeNewest.ts';
import { loadPending, savePending } from './pendingWishes.ts';
import { isEdit, standing, wishId, withoutRefused, type Direction, type Wish } from './wishes.ts';

/** How long until what could not be sent is sent again, ms. */
const RETRY_MS = 1000;
const EMPTY: ShotDocument = { removals: {}, tracks: {} };

/**
 * The document of the shot at hand: what the server has confirmed, and on top of it the wishes that are on their way.
 * An edit or a step of undo is seen at once, kept in the browser until the server has it, and sent in order, once.
 */
export const useDocument = defineStore('document', () => {
  const shotId = ref('');
  const confirmed = shallowRef<ShotState>();
  const pending = shallowRef<Wish[]>([]);
  /** Why an edit was refused, for people. */
  const refusal = ref('');
  const offline = ref(false);
  let sending = false;
  let timer: ReturnType<typeof setTimeout> | undefined;

  const ahead = computed(() => standing(pending.value));
  const before = beforeNewest(confirmed);
  /** What the server has; without its newest edit, if that is this page's and a step on its way takes it back. */
  const base = computed(
    () => (ahead.value.beneath > 0 ? before.document() : undefined) ?? confirmed.value?.document ?? EMPTY,
  );
  const document = computed<ShotDocument>(() =>
    ahead.value.edits.reduce((doc, edit) => patched(doc, edit.patch) ?? doc, base.value),
  );
  const shot = computed<ShotView | undefined>(() => confirmed.value?.shot);
  const undoLabel = computed(() => ahead.value.edits.at(-1)?.label ?? confirmed.value?.undo ?? null);
  const redoLabel = computed(() => {
    const again = ahead.value.undone.at(-1);
    // A step that takes back no edit of the queue takes back what the server would.
    if (again) return again.at(0)?.label ?? confirmed.value?.undo ?? null;
    // What was undone before a new edit cannot be redone after it.
    return pending.value.some(isEdit) ? null : (confirmed.value?.redo ?? null);
  });
  const unsent = computed(() => pending.value.length);
  /** Of these, how many the browser has put away: they outlive the page. */
  const stored = ref(0);

  /** @throws ApiError if there is no such shot. */
  async function open(id: string): Promise<void> {
    shotId.value = id;
    confirmed.value = undefined;
    before.forget();
    pending.value = await loadPending(id);
    stored.value = pending.value.length;
    confirmed.value = await api.shot(id);
    void send();
  }

  async function refresh(): Promise<void> {
    const id = shotId.value;
    if (!id) return;
    const state = await api.shot(id).catch(() => undefined);
    if (state && id === shotId.value) accept(state);
  }

  function accept(state: ShotState): void {
    if (state.shot.id !== shotId.value) return;
    if (!confirmed.value || state.revision >= confirmed.value.revision) confirmed.value = state;
  }

  /**
   * Changes the document by a recipe that works on a copy.
   * @param completes - Id of the edit right before that it completes: one undo takes both back.
   * @returns The id of the edit; undefined if nothing changes, and nothing is sent.
   */
  function edit(label: string, recipe: (draft: ShotDocument) => void, completes?: string): string | undefined {
    const before = document.value;
    const after = structuredClone(before);
    recipe(after);
    const patch = compare(before, after, true) as PatchOperation[];
    if (patch.length === 0 || !confirmed.value) return undefined;
    const editId = crypto.randomUUID();
    const base = confirmed.value.revision;
    keep([...pending.value, { editId, base, label, patch, ...(completes && { completes }) }]);
    void send();
    return editId;
  }

  function keep(wishes: Wish[]): void {
    pending.value = wishes;
    void savePending(shotId.value, wishes).then(() => (stored.value = wishes.length));
  }

  async function send(): Promise<void> {
    if (sending) return;
    sending = true;
    clearTimeout(timer);
    try {
      while (pending.value.length > 0) await sendFirst();
      offline.value = false;
    } catch {
      offline.value = true;
      timer = setTimeout(() => void send(), RETRY_MS);
    } finally {
      sending = false;
    }
  }

  async function sendFirst(): Promise<void> {
    const [first] = pending.value;
    const id = shotId.value;
    try {
      const state = await ask(id, first);
      if (id !== shotId.value) return;
      // All at once, so that the edit is at no moment applied twice or not at all, and does not come back for one if it was undone.
      if (isEdit(first)) before.keep(first, state.revision);
      accept(state);
      const rest = pending.value.slice(1);
      // What was edited on top of this edit was made on what the server has now.
      keep(isEdit(first) ? rest.map((wish) => (isEdit(wish) ? { ...wish, base: state.revision } : wish)) : rest);
    } catch (error) {
      if (!(error instanceof ApiError) || error.passing) throw error;
      if (id === shotId.value) await giveUp(first, error);
    }
  }

  function ask(id: string, wish: Wish): Promise<ShotState> {
    return isEdit(wish) ? api.edit(id, wish) : api[wish.direction](id, { stepId: wish.stepId });
  }

  /** Drops the first wish, which was refused, and says why, unless there was just nothing to do. */
  async function giveUp(first: Wish, { code, message }: ApiError): Promise<void> {
    if (isEdit(first)) refusal.value = `“${first.label}” was not taken. ${message}`;
    else if (!code.startsWith('nothing_to')) refusal.value = message;
    keep(isEdit(first) ? withoutRefused(pending.value, wishId(first)) : pending.value.slice(1));
    await refresh();
  }

  /** Resolves once the server knows all edits: what it is to work on must have arrived. */
  const whenSent = (): Promise<unknown> => until(unsent).toBe(0);

  /** One step back or forth. */
  function step(direction: Direction): void {
    if ((direction === 'undo' ? undoLabel : redoLabel).value === null) return;
    keep([...pending.value, { direction, stepId: crypto.randomUUID() }]);
    void send();
  }

  onServerEvent((event) => {
    if (!event || (event.kind === 'shot' && event.id === shotId.value)) void refresh().then(send);
  });

  return {
    shotId,
    shot,
    document,
    refusal,
    offline,
    unsent,
    stored,
    whenSent,
    undoLabel,
    redoLabel,
    open,
    edit,
    accept,
    refresh,
    undo: () => step('undo'),
    redo: () => step('redo'),
  };
});

/** A document with a patch applied; undefined if it does not fit. */
function patched(document: ShotDocument, patch: PatchOperation[]): ShotDocument | undefined {
  try {
    return applyPatch(structuredClone(document), patch as Operation[], false, true).newDocument;
  } catch {
    return undefined;
  }
}
