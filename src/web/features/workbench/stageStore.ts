import { defineStore } from 'pinia';
import { ref } from 'vue';
import type { KeyPlace } from '../../document/keyGroups.ts';
import type { Subject } from '../../picture/pictures.ts';

export const VIEWS = ['original', 'matte', 'filled', 'wipe', 'difference', 'reveal'] as const;
export type View = (typeof VIEWS)[number];
export type Tool = 'pick' | 'path' | 'ellipse' | 'rectangle' | 'point' | 'paint' | 'region' | 'steer';

/** What a person looks at and works with: nothing of this is saved. */
export const useStage = defineStore('stage', () => {
  const view = ref<View>('original');
  const tool = ref<Tool>('pick');
  const removalId = ref('');
  const shapeId = ref('');
  /** A track that was chosen by itself; a chosen shape's own comes first. */
  const trackId = ref('');
  const point = ref<number>();
  /** Keys chosen on the strip, of the removal at hand. */
  const keys = ref<KeyPlace[]>([]);
  /** Frames chosen on the strip, inclusive: what is played, followed, drafted and smoothed by itself. */
  const span = ref<{ first: number; last: number }>();
  /** What a wipe and a difference compare; `pick` is that of the removal at hand. The right one is the result. */
  const left = ref<Subject>('original');
  const right = ref<Subject>('pick');
  /** Share of the frame's width. */
  const wipe = ref(0.5);
  const gain = ref(8);
  /** Full screen, nothing over the picture. */
  const clean = ref(false);
  /** The chosen shape's neighbouring keys and its way are shown. */
  const way = ref(false);
  /** Frames that have been on the screen while the picture stood. */
  const lookedAt = ref(new Set<number>());
  /** The same since it was last looked up what sticks out of the mattes. */
  const lookedSince = ref(new Set<number>());

  function look(frame: number): void {
    lookedAt.value.add(frame);
    lookedSince.value.add(frame);
  }

  function selectRemoval(id: string): void {
    if (removalId.value === id) return;
    removalId.value = id;
    keys.value = [];
    selectShape('');
  }

  function selectShape(id: string): void {
    shapeId.value = id;
    point.value = undefined;
    // Delete means the newest choice.
    keys.value = [];
  }

  /** Chooses frames, in whichever order they were named; none takes the choice back. */
  function choose(a?: number, b = a): void {
    span.value = a === undefined || b === undefined ? undefined : { first: Math.min(a, b), last: Math.max(a, b) };
  }

  function reset(): void {
    view.value = 'original';
    tool.value = 'pick';
    removalId.value = '';
    selectShape('');
    trackId.value = '';
    keys.value = [];
    span.value = undefined;
    left.value = 'original';
    right.value = 'pick';
    clean.value = false;
    lookedAt.value = new Set();
    lookedSince.value = new Set();
  }

  return {
    view,
    tool,
    removalId,
    shapeId,
    trackId,
    point,
    keys,
    span,
    left,
    right,
    wipe,
    gain,
    clean,
    way,
    lookedAt,
    lookedSince,
    look,
    selectRemoval,
    selectShape,
    choose,
    reset,
  };
});
