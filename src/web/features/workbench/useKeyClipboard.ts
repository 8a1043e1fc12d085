import { defineStore } from 'pinia';
import { shallowRef } from 'vue';
import { useDocument } from '../../document/documentStore.ts';
import { copyKeys, pasteKeys, TRIM_LANE, type CopiedKeys } from '../../document/keyGroups.ts';
import { useStage } from './stageStore.ts';
import { useWork } from './workStore.ts';

/** Keys that were copied: they outlive the choice of another removal, and of another shot. */
const useCopied = defineStore('copiedKeys', () => ({ keys: shallowRef<CopiedKeys>() }));

/** @param frames - Of the clip that keys are put into. */
export function useKeyClipboard(frames: () => number) {
  const doc = useDocument();
  const stage = useStage();
  const work = useWork();
  const copied = useCopied();

  /** @returns Whether there was something to copy. */
  function copy(): boolean {
    const keys = copyKeys(doc.document.removals[stage.removalId] ?? { shapes: {} }, stage.keys);
    if (keys) copied.keys = keys;
    return keys !== undefined;
  }

  /** Puts what was copied into the removal at hand, from a frame on. @returns Whether there was something to put. */
  function paste(frame: number): boolean {
    const { removalId, shapeId } = stage;
    const { keys } = copied;
    if (!keys || !(removalId in doc.document.removals)) return false;
    let placed: ReturnType<typeof pasteKeys> = [];
    doc.edit('Put keys here', (draft) => {
      placed = pasteKeys(draft.removals[removalId], keys, frame, frames(), shapeId || undefined);
    });
    if (placed.length === 0) work.failure = 'There is no room for these keys: the clip or the list of shapes ends.';
    else {
      if (placed[0].lane !== TRIM_LANE) stage.selectShape(placed[0].lane);
      stage.keys = placed;
    }
    return true;
  }

  return {
    copy,
    paste,
    forget: () => (copied.keys = undefined),
    get count(): number {
      const { shapes = [], trim = {} } = copied.keys ?? {};
      return [trim, ...shapes.map((s) => s.keys)].reduce((n, keys) => n + Object.keys(keys).length, 0);
    },
  };
}
