import Sortable from 'sortablejs';
import { onScopeDispose, watch, type Ref } from 'vue';

/** Part of a row by which it is dragged, and rows that can be: others stay where they are. */
export const GRIP = 'grip';
export const MOVABLE = 'movable';

/**
 * Lets rows of a list be dragged into another order by their grips. The list stays Vue's: the row goes back to where it was,
 * and `moved` changes what the list is made of.
 *
 * @param moved - Number of the row, and the number that it is to have, both counted among all rows.
 */
export function useReorder(list: Ref<HTMLElement | undefined | null>, moved: (from: number, to: number) => void): void {
  let sortable: Sortable | undefined;
  const stop = (): void => {
    sortable?.destroy();
    sortable = undefined;
  };
  watch(
    list,
    (element) => {
      stop();
      if (!element) return;
      sortable = Sortable.create(element, {
        handle: `.${GRIP}`,
        draggable: `.${MOVABLE}`,
        animation: 120,
        // The browser's own way of dragging shows a copy at full opacity, and none on touch screens.
        forceFallback: true,
        fallbackTolerance: 3,
        ghostClass: 'in-hand',
        onEnd: ({ from, item, oldIndex, newIndex }) => {
          if (oldIndex === undefined || newIndex === undefined || oldIndex === newIndex) return;
          item.remove();
          from.insertBefore(item, from.children[oldIndex]);
          moved(oldIndex, newIndex);
        },
      });
    },
    { immediate: true, flush: 'post' },
  );
  onScopeDispose(stop);
}
