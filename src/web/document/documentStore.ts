import { applyPatch, compare, type Operation } from 'fast-json-patch';
import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import type { ShotDocument } from '../../contract/document.ts';
import type { EditBody, PatchOperation, ShotState, ShotView, StepBody } from '../../contract/shots.ts';
import { api, ApiError } from '../api/client.ts';
import { onServerEvent } from '../api/events.ts';
import { loadPending, savePending } from './pendingEdits.ts';

/** How long until what could not be sent is sent again, ms. */
const RETRY_MS = 1000;
const EMPTY: ShotDocument = { removals: {}, tracks: {} };

type Direction = 'undo' | 'redo';

/** A step that was asked for; its id makes that it is taken once, also if its answer is lost. */
interface Step extends StepBody {
  direction: Direction;
}

/**
 * The document of the shot at hand: what the server has confirmed, and on top of it the edits that are on their way.
 * An edit is seen at once, kept in the browser until the server has it, and sent in order, once.
 */
export const useDocument = defineStore('document', () => {
  const shotId = ref('');
  const confirmed = shallowRef<ShotState>();
  const pending = shallowRef<EditBody[]>([]);
  /** Why an edit was refused, for people. */
  const refusal = ref('');
  const offline = ref(false);
  let sending = false;
  /** The edit that was sent and not answered: the server may have it, so it can no longer be dropped here. */
  const tried = ref('');
  /** Steps asked for while that edit was on its way: they come right after it, before later edits. */
  const wishes = shallowRef<Step[]>([]);
  let timer: ReturnType<typeof setTimeout> | undefined;

  /** The edits on their way, without one that is to be undone as soon as it is answered. */
  const standing = computed(() =>
    wishes.value.at(-1)?.direction === 'undo' ? pending.value.filter((e) => e.editId !== tried.value) : pending.value,
  );
  const document = computed<ShotDocument>(() =>
    standing.value.reduce((doc, edit) => patched(doc, edit.patch) ?? doc, confirmed.value?.document ?? EMPTY),
  );
  const shot = computed<ShotView | undefined>(() => confirmed.value?.shot);
  const undoLabel = computed(() => standing.value.at(-1)?.label ?? confirmed.value?.undo ?? null);
  const redoLabel = computed(() => (pending.value.length > 0 ? null : (confirmed.value?.redo ?? null)));
  const unsent = computed(() => pending.value.length);

  /** @throws ApiError if there is no such shot. */
  async function open(id: string): Promise<void> {
    shotId.value = id;
    confirmed.value = undefined;
    wishes.value = [];
    pending.value = await loadPending(id);
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

  function keep(edits: EditBody[]): void {
    pending.value = edits;
    void savePending(shotId.value, edits);
  }

  async function send(): Promise<void> {
    if (sending) return;
    sending = true;
    clearTimeout(timer);
    try {
      for (;;) {
        if (wishes.value.length > 0 && pending.value[0]?.editId !== tried.value) await takeFirstWish();
        else if (pending.value.length > 0) await sendFirst();
        else break;
      }
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
    tried.value = first.editId;
    try {
      const state = await api.edit(id, first);
      if (id !== shotId.value) return;
      // Both at once, so that the edit is at no moment applied twice or not at all.
      confirmed.value = state;
      keep(pending.value.slice(1).map((e) => ({ ...e, base: state.revision })));
    } catch (error) {
      if (!(error instanceof ApiError) || error.passing) throw error;
      refusal.value = `“${first.label}” was not taken. ${error.message}`;
      keep(pending.value.slice(1));
      await refresh();
    }
  }

  async function takeFirstWish(): Promise<void> {
    const [{ direction, stepId }] = wishes.value;
    const id = shotId.value;
    try {
      const state = await api[direction](id, { stepId });
      if (id !== shotId.value) return;
      accept(state);
      keep(pending.value.map((e) => ({ ...e, base: state.revision })));
    } catch (error) {
      if (!(error instanceof ApiError) || error.passing) throw error;
      if (!error.code.startsWith('nothing_to')) refusal.value = error.message;
    }
    wishes.value = wishes.value.filter((wish) => wish.stepId !== stepId);
  }

  /** One step back or forth. An edit that was never sent is dropped; any other step is the server's. */
  function step(direction: Direction): void {
    if (direction === 'redo' && pending.value.length > 0) return;
    const { left, whole } = direction === 'undo' ? withoutLast(pending.value, tried.value) : NOTHING_DROPPED;
    if (left) keep(left);
    if (whole) return;
    wishes.value = [...wishes.value, { direction, stepId: crypto.randomUUID() }];
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

interface Dropped {
  /** The edits that are left; undefined if none was dropped. */
  left?: EditBody[];
  /** Whether that is all of the step; otherwise the rest of it is the server's. */
  whole: boolean;
}

const NOTHING_DROPPED: Dropped = { whole: false };

/** Drops the last edit, and those that it completes, as far as none of them was sent. */
function withoutLast(edits: readonly EditBody[], tried: string): Dropped {
  let dropped = NOTHING_DROPPED;
  for (let k = edits.length - 1; k >= 0 && edits[k].editId !== tried; k--) {
    const { completes } = edits[k];
    const ends = !completes || (k > 0 && edits[k - 1].editId !== completes);
    dropped = { left: edits.slice(0, k), whole: ends };
    if (ends) break;
  }
  return dropped;
}

/** A document with a patch applied; undefined if it does not fit. */
function patched(document: ShotDocument, patch: PatchOperation[]): ShotDocument | undefined {
  try {
    return applyPatch(structuredClone(document), patch as Operation[], false, true).newDocument;
  } catch {
    return undefined;
  }
}
