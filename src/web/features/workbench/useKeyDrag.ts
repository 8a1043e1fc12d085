import { computed, ref, watch } from 'vue';
import { frameNumbers } from '../../../contract/document.ts';
import { useDocument } from '../../document/documentStore.ts';
import {
  laneKeys,
  retimeKeys,
  shiftBy,
  stretchTo,
  TRIM_LANE,
  type KeyPlace,
  type Retiming,
} from '../../document/keyGroups.ts';
import { useStage } from './stageStore.ts';

/** A place on the strip: a frame, and which lane of the removal's keys lies there (any number beyond them). */
export interface StripPlace {
  frame: number;
  lane: number;
}

interface Drag {
  kind: 'move' | 'copy' | 'stretch' | 'band';
  from: StripPlace;
  at: StripPlace;
  /** Of a stretch: the frame that stays. */
  fixed: number;
  /** Chosen keys that a band adds to. */
  before: KeyPlace[];
  /** The magnet that holds it. */
  held?: number;
}

/** Frames that hold on to a key which is dragged past them, and from how far away. */
export interface Magnets {
  frames: readonly number[];
  within: number;
}

const NO_MAGNETS: Magnets = { frames: [], within: 0 };

/**
 * Choosing keys on the strip and moving, copying or stretching what is chosen.
 *
 * @param lanes - Their ids, from the top.
 * @param frames - Of the clip.
 * @param magnets - Besides the keys of the lanes, which are magnets too.
 */
export function useKeyDrag(lanes: () => string[], frames: () => number, magnets: () => Magnets = () => NO_MAGNETS) {
  const doc = useDocument();
  const stage = useStage();
  const drag = ref<Drag>();

  const isChosen = (k: KeyPlace): boolean => stage.keys.some((other) => same(other, k));
  // What was undone or deleted elsewhere cannot stay chosen.
  watch(
    () => doc.document.removals[stage.removalId],
    (removal) => {
      const there = stage.keys.filter((k) => removal && k.frame in (laneKeys(removal, k.lane) ?? {}));
      if (there.length < stage.keys.length) stage.keys = there;
    },
  );

  const chosenFrames = computed(() => stage.keys.map((k) => k.frame));

  /** Where the keys in hand go, while they are dragged. */
  const retiming = computed<Retiming | undefined>(() => {
    const d = drag.value;
    if (!d || d.kind === 'band') return undefined;
    return d.kind === 'stretch' ? stretchTo(d.fixed, d.from.frame, d.at.frame) : shiftBy(d.at.frame - d.from.frame);
  });

  function begin(kind: Drag['kind'], from: StripPlace, more: Partial<Drag> = {}): void {
    drag.value = { kind, from, at: from, fixed: 0, before: [], ...more };
  }

  /** Takes hold of a key: with Shift it is added to the choice or taken out of it, with Alt a copy is moved. */
  function grab(key: KeyPlace, from: StripPlace, { shiftKey, altKey }: MouseEvent): void {
    const before = stage.keys;
    const was = isChosen(key);
    if (key.lane !== TRIM_LANE) stage.selectShape(key.lane);
    if (shiftKey) {
      stage.keys = was ? before.filter((k) => !same(k, key)) : [...before, key];
      return;
    }
    stage.keys = was ? before : [key];
    begin(altKey ? 'copy' : 'move', from);
  }

  /** Takes hold of one end of what is chosen. */
  function grabEnd(end: 'first' | 'last'): void {
    const [a, b] = [Math.min(...chosenFrames.value), Math.max(...chosenFrames.value)];
    const frame = end === 'first' ? a : b;
    begin('stretch', { frame, lane: 0 }, { fixed: end === 'first' ? b : a });
  }

  const band = (from: StripPlace): void => begin('band', from, { before: stage.keys });

  /** @param free - Nothing holds on to what is dragged. */
  function moveTo(at: StripPlace, free = false): void {
    if (!drag.value) return;
    const held = drag.value.kind === 'band' || free ? undefined : heldBy(at.frame, drag.value.from.frame);
    drag.value = { ...drag.value, at: { ...at, frame: held ?? at.frame }, held };
    if (drag.value.kind === 'band') stage.keys = within(drag.value);
  }

  /** The magnet nearest to a frame; the place that a key comes from is none. */
  function heldBy(frame: number, from: number): number | undefined {
    const { frames: marks, within: reach } = magnets();
    const removal = doc.document.removals[stage.removalId];
    const keys = lanes().flatMap((lane) =>
      frameNumbers(laneKeys(removal, lane) ?? {}).filter((f) => !isChosen({ lane, frame: f })),
    );
    const away = (f: number): number => Math.abs(f - frame);
    return [...marks, ...keys]
      .filter((f) => f !== from && away(f) <= reach)
      .reduce<number | undefined>((best, f) => (best === undefined || away(f) < away(best) ? f : best), undefined);
  }

  function within({ from, at, before }: Drag): KeyPlace[] {
    const [a, b] = [Math.min(from.frame, at.frame), Math.max(from.frame, at.frame)];
    const [top, bottom] = [Math.min(from.lane, at.lane), Math.max(from.lane, at.lane)];
    const removal = doc.document.removals[stage.removalId];
    const caught = lanes().flatMap((lane, i) =>
      i < top || i > bottom
        ? []
        : frameNumbers(laneKeys(removal, lane) ?? {})
            .filter((f) => f >= a && f <= b)
            .map((frame) => ({ lane, frame })),
    );
    return [...before, ...caught.filter((k) => !before.some((other) => same(k, other)))];
  }

  /** @returns The key's frame if it was only pressed, not moved. */
  function drop(): number | undefined {
    const [d, to] = [drag.value, retiming.value];
    drag.value = undefined;
    if (!d || !to) return undefined;
    if (d.at.frame === d.from.frame) return d.kind === 'stretch' ? undefined : d.from.frame;
    retime(to, d.kind);
    return undefined;
  }

  const LABELS = { move: 'Move', copy: 'Copy', stretch: 'Stretch', band: '' };

  function retime(to: Retiming, kind: Drag['kind']): void {
    const { removalId, keys } = stage;
    doc.edit(`${LABELS[kind]} ${keys.length === 1 ? 'a key' : `${keys.length} keys`}`, (draft) => {
      const removal = draft.removals[removalId];
      if (removal) stage.keys = retimeKeys(removal, keys, to, frames(), kind === 'copy');
    });
  }

  return {
    drag: computed(() => drag.value),
    retiming,
    isChosen,
    grab,
    grabEnd,
    band,
    moveTo,
    drop,
    retime,
    abandon: () => (drag.value = undefined),
  };
}

const same = (a: KeyPlace, b: KeyPlace): boolean => a.lane === b.lane && a.frame === b.frame;

export type KeyDrag = ReturnType<typeof useKeyDrag>;
