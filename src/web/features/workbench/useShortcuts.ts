import { useEventListener } from '@vueuse/core';
import { useDocument } from '../../document/documentStore.ts';
import { keyFrames, pinKey, removalKeyFrames, removeKey } from '../../document/edits.ts';
import type { Player } from '../../picture/usePlayer.ts';
import type { Viewport } from '../../picture/useViewport.ts';
import { shortcutOf, type ShortcutName } from './shortcuts.ts';
import { useStage, type Tool, type View } from './stageStore.ts';
import type { ShapeEditing } from './useShapeEditing.ts';
import type { TrackEditing } from './useTrackEditing.ts';

interface Parts {
  player: Player;
  viewport: Viewport;
  editing: ShapeEditing;
  region: TrackEditing;
  bounds(): { first: number; last: number };
  toggleClean(): void;
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
    const { removalId, shapeId, key } = stage;
    if (stage.point !== undefined) return editing.deletePoint();
    if (key) {
      stage.key = undefined;
      return doc.edit('Delete a key', (draft) => removeKey(draft.removals[removalId].shapes[key.shapeId], key.frame));
    }
    doc.edit('Delete a shape', (draft) => {
      delete draft.removals[removalId]?.shapes[shapeId];
    });
    stage.selectShape('');
  }

  const actions: Record<ShortcutName, (p: Parts) => void> = {
    back: ({ player }) => player.step(-1),
    forth: ({ player }) => player.step(1),
    back10: ({ player }) => player.step(-10),
    forth10: ({ player }) => player.step(10),
    first: ({ player, bounds }) => player.step(bounds().first - player.wanted.value),
    last: ({ player, bounds }) => player.step(bounds().last - player.wanted.value),
    keyBefore: (p) => toKey(p, -1),
    keyAfter: (p) => toKey(p, 1),
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
      stage.tool = 'pick';
    },
    setKey,
    remove,
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
    event.preventDefault();
    actions[name](p);
  });
}
