import { useEventListener } from '@vueuse/core';
import { useDocument } from '../../document/documentStore.ts';
import { keyFrames, pinKey, removalKeyFrames } from '../../document/edits.ts';
import { removeKeys } from '../../document/keyGroups.ts';
import { nextVariant, removeShape, useVariant } from '../../document/variants.ts';
import type { Player } from '../../picture/usePlayer.ts';
import type { Viewport } from '../../picture/useViewport.ts';
import { shortcutOf, type ShortcutName } from './shortcuts.ts';
import { useStage, type Tool, type View } from './stageStore.ts';
import { useKeyClipboard } from './useKeyClipboard.ts';
import { useShapeCopy } from './useShapeCopy.ts';
import type { ShapeEditing } from './useShapeEditing.ts';
import type { TrackEditing } from './useTrackEditing.ts';

interface Parts {
  player: Player;
  viewport: Viewport;
  editing: ShapeEditing;
  region: TrackEditing;
  bounds(): { first: number; last: number };
  toggleClean(): void;
  clipFrames(): number;
  follow(): void;
  toWeak(): void;
  help(): void;
}

/** Change of a region's size, and its turn in radians, with one press of a key. */
const STEER = 0.01;

const ARROWS: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/** Keys of the workbench. */
export function useShortcuts(parts: () => Parts | undefined): void {
  const stage = useStage();
  const doc = useDocument();

  const copyChosen = useShapeCopy();
  const clipboard = useKeyClipboard(() => parts()?.clipFrames() ?? 0);

  const view = (name: View) => () => (stage.view = name);
  const tool = (name: Tool) => () => (stage.tool = name);

  /** Goes to the nearest key before or after the frame on the screen. */
  function toKey({ player }: Parts, direction: -1 | 1): void {
    const removal = doc.document.removals[stage.removalId];
    if (!removal) return;
    const shape = removal.shapes[stage.shapeId];
    const frames = shape ? keyFrames(shape) : removalKeyFrames(removal);
    const now = player.wanted.value;
    const next = direction < 0 ? frames.filter((f) => f < now).at(-1) : frames.find((f) => f > now);
    if (next !== undefined) player.step(next - now);
  }

  function setKey({ player, region }: Parts): void {
    const { removalId, shapeId } = stage;
    if ((!shapeId || stage.tool === 'steer') && region.quad.value) return void region.pin();
    doc.edit('Set a key', (draft) => {
      const shape = draft.removals[removalId]?.shapes[shapeId];
      if (shape) pinKey(shapeId, shape, player.shown.value);
    });
  }

  /** Deletes the smallest thing that is chosen: a point, a key, a shape. */
  function remove({ editing }: Parts): void {
    const { removalId, shapeId, keys } = stage;
    if (stage.point !== undefined) return editing.deletePoint();
    if (keys.length > 0) {
      stage.keys = [];
      const label = keys.length === 1 ? 'Delete a key' : `Delete ${keys.length} keys`;
      return void doc.edit(label, (draft) => removeKeys(draft.removals[removalId], keys));
    }
    doc.edit('Delete a shape', (draft) => {
      if (draft.removals[removalId]?.shapes[shapeId]) removeShape(draft.removals[removalId], shapeId);
    });
    stage.selectShape('');
  }

  /** Lets the next variant of the chosen shape count. */
  function otherVariant(): void {
    const { removalId, shapeId } = stage;
    const next = nextVariant(doc.document.removals[removalId] ?? { shapes: {} }, shapeId);
    if (next === undefined) return;
    doc.edit('Use another variant', (draft) => useVariant(draft.removals[removalId], next));
    stage.selectShape(next);
  }

  /** Chooses frames from or to the one on the screen; the other end is that of the shot, or what was chosen before. */
  function span({ player, bounds }: Parts, end: 'first' | 'last'): void {
    const { first, last } = stage.span ?? bounds();
    const here = player.shown.value;
    if (end === 'first') stage.choose(here, Math.max(here, last));
    else stage.choose(Math.min(here, first), here);
  }

  /** What keys do; false if there was nothing to do and the press is the browser's. */
  const actions: Record<ShortcutName, (p: Parts) => unknown> = {
    back: ({ player }) => player.step(-1),
    forth: ({ player }) => player.step(1),
    back10: ({ player }) => player.step(-10),
    forth10: ({ player }) => player.step(10),
    first: ({ player, bounds }) => player.step(bounds().first - player.wanted.value),
    last: ({ player, bounds }) => player.step(bounds().last - player.wanted.value),
    keyBefore: (p) => toKey(p, -1),
    keyAfter: (p) => toKey(p, 1),
    spanFrom: (p) => span(p, 'first'),
    spanTo: (p) => span(p, 'last'),
    play: ({ player }) => player.toggle(),
    loop: ({ player }) => player.toggleLoop(),
    speed: ({ player }) => player.changeSpeed(),
    original: view('original'),
    matte: view('matte'),
    filled: view('filled'),
    wipe: view('wipe'),
    difference: view('difference'),
    reveal: view('reveal'),
    clean: ({ toggleClean }) => toggleClean(),
    whole: ({ viewport }) => viewport.fit(),
    exact: ({ viewport }) => viewport.zoomTo(1 / devicePixelRatio),
    nearer: ({ viewport }) => viewport.zoom(1.25),
    farther: ({ viewport }) => viewport.zoom(0.8),
    pick: tool('pick'),
    path: tool('path'),
    ellipse: tool('ellipse'),
    rectangle: tool('rectangle'),
    point: tool('point'),
    paint: tool('paint'),
    region: tool('region'),
    steer: tool('steer'),
    follow: ({ follow }) => follow(),
    weak: ({ toWeak }) => toWeak(),
    larger: ({ region }) => region.steer(1 + STEER, 0),
    smaller: ({ region }) => region.steer(1 / (1 + STEER), 0),
    turnLeft: ({ region }) => region.steer(1, -STEER),
    turnRight: ({ region }) => region.steer(1, STEER),
    close: ({ editing }) => editing.close(),
    abandon: (p) => {
      if (stage.clean) return p.toggleClean();
      p.editing.abandon();
      p.region.abandon();
      if (stage.tool === 'pick') {
        stage.keys = [];
        stage.choose();
      }
      stage.tool = 'pick';
    },
    another: ({ editing, player }) => copyChosen(player.shown.value, editing.pointer.value),
    variant: () => otherVariant(),
    way: () => (stage.way = !stage.way),
    setKey,
    remove,
    copyKeys: () => String(getSelection()) === '' && clipboard.copy(),
    pasteKeys: ({ player }) => clipboard.paste(player.shown.value),
    nudge: () => undefined,
    undo: () => void doc.undo(),
    redo: () => void doc.redo(),
    help: ({ help }) => help(),
  };

  useEventListener(window, 'keydown', (event) => {
    const p = parts();
    if (!p) return;
    const arrow = ARROWS[event.key];
    if (arrow && event.ctrlKey && !(event.target as HTMLElement).closest('input')) {
      event.preventDefault();
      const by = event.shiftKey ? 10 : 1;
      return p.editing.nudge(arrow[0] * by, arrow[1] * by);
    }
    const name = shortcutOf(event);
    if (!name) return;
    if (actions[name](p) !== false) event.preventDefault();
  });
}
