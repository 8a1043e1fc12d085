import { afterAll, beforeEach, describe, expect, it, jest } from '@jest/globals';
import { effectScope, ref, type EffectScope } from 'vue';
import type { Player } from '../../picture/usePlayer.ts';
import type { Viewport } from '../../picture/useViewport.ts';
import { openQuietly, startQuietly } from '../../testing/quietServer.ts';
import { useStage } from './stageStore.ts';
import { useShapeEditing } from './useShapeEditing.ts';
import { useShortcuts } from './useShortcuts.ts';
import type { TrackEditing } from './useTrackEditing.ts';

/** A press of a key as the browser tells of it. */
class Press extends Event {
  readonly key: string;
  readonly ctrlKey: boolean;
  readonly shiftKey: boolean;
  readonly altKey = false;
  readonly metaKey = false;
  constructor(keys: string) {
    super('keydown', { cancelable: true });
    const parts = keys.split('+').filter(Boolean);
    this.key = parts.at(-1) ?? '+';
    this.ctrlKey = parts.includes('ctrl');
    this.shiftKey = parts.includes('shift');
  }
}

const before = globalThis.window;
let scope: EffectScope | undefined;
afterAll(() => {
  scope?.stop();
  globalThis.window = before;
});

const moved = (): number => 0;
/** The workbench's keys over a shot of ten frames with a box that has keys at 0, 4 and 8. */
async function bench() {
  const doc = await openQuietly();
  const stage = useStage();
  const [wanted, shown] = [ref(0), ref(0)];
  const step = jest.fn((by: number) => {
    wanted.value = shown.value = Math.min(9, Math.max(0, wanted.value + by));
  });
  const toggle = jest.fn(moved);
  const steer = jest.fn(moved);
  const pin = jest.fn(moved);
  const fit = jest.fn(moved);
  const zoom = jest.fn(moved);
  const toggleClean = jest.fn(() => (stage.clean = !stage.clean));
  const follow = jest.fn(moved);
  const help = jest.fn(moved);
  const editing = useShapeEditing(
    () => shown.value,
    () => 1,
  );
  const quad = ref<unknown>();
  // What the keys use of them is all there; the rest is the player's and the view's own business.
  const player = { wanted, shown, step, toggle, toggleLoop: moved, changeSpeed: moved } as unknown as Player;
  const viewport = { fit, zoom, zoomTo: zoom } as unknown as Viewport;
  const region = { steer, pin, quad, abandon: moved } as unknown as TrackEditing;
  scope = effectScope();
  scope.run(() =>
    useShortcuts(() => ({
      player,
      viewport,
      editing,
      region,
      bounds: () => ({ first: 0, last: 9 }),
      toggleClean,
      clipFrames: () => 10,
      follow,
      toWeak: moved,
      help,
    })),
  );
  /** @returns Whether the press was ours. */
  const press = (keys: string): boolean => {
    const event = new Press(keys);
    globalThis.window.dispatchEvent(event);
    return event.defaultPrevented;
  };
  const draw = (): void => {
    stage.tool = 'rectangle';
    editing.press({ x: 10, y: 20 });
    editing.dragTo({ x: 50, y: 40 }, { alt: false, shift: false });
    editing.drop();
    for (const frame of [4, 8]) {
      step(frame - wanted.value);
      press('k');
    }
    step(-9);
  };
  const shape = () => Object.values(doc.document.removals[stage.removalId].shapes)[0];
  const keys = (): number[] => Object.keys(shape().keys).map(Number);
  return {
    doc,
    stage,
    press,
    draw,
    shape,
    keys,
    wanted,
    step,
    toggle,
    steer,
    pin,
    quad,
    fit,
    zoom,
    follow,
    help,
    editing,
  };
}

beforeEach(() => {
  scope?.stop();
  // A press on nothing in particular: no field, no button.
  globalThis.window = Object.assign(new EventTarget(), { closest: () => null }) as unknown as typeof globalThis.window;
  globalThis.getSelection = (() => '') as unknown as typeof getSelection;
  startQuietly(9);
});

describe('frames', () => {
  it('are stepped through by one and ten, to both ends, and no press is left to the browser', async () => {
    const { press, wanted } = await bench();
    const after = (keys: string): number => {
      expect(press(keys)).toBe(true);
      return wanted.value;
    };
    expect(
      ['ArrowRight', 'ArrowRight', 'ArrowLeft', 'End', 'shift+ArrowLeft', 'shift+ArrowRight', 'Home'].map(after),
    ).toEqual([1, 2, 1, 9, 0, 9, 0]);
  });

  it('with keys are gone to, of the shape at hand, and not beyond the last', async () => {
    const { press, draw, wanted } = await bench();
    draw();
    const after = (keys: string): number => {
      press(keys);
      return wanted.value;
    };
    expect(['PageDown', 'PageDown', 'PageDown', 'PageUp', 'PageUp', 'PageUp'].map(after)).toEqual([4, 8, 8, 4, 0, 0]);
  });

  it('are chosen from here and to here, whichever comes first', async () => {
    const { press, stage, step } = await bench();
    step(6);
    press('y');
    expect(stage.span).toEqual({ first: 6, last: 9 });
    step(-4);
    press('u');
    expect(stage.span).toEqual({ first: 2, last: 2 });
    press('Escape');
    expect(stage.span).toBeUndefined();
  });

  it('play with the space bar', async () => {
    const { press, toggle } = await bench();
    press(' ');
    expect(toggle).toHaveBeenCalledTimes(1);
  });
});

describe('views and tools', () => {
  it('are one key away each', async () => {
    const { press, stage } = await bench();
    const views = ['2', '3', '4', '5', '6', '1'].map((key) => {
      press(key);
      return stage.view;
    });
    expect(views).toEqual(['matte', 'filled', 'wipe', 'difference', 'reveal', 'original']);
    const tools = ['d', 'e', 'r', 'a', 'b', 'g', 's', 'q'].map((key) => {
      press(key);
      return stage.tool;
    });
    expect(tools).toEqual(['path', 'ellipse', 'rectangle', 'point', 'paint', 'region', 'steer', 'pick']);
  });

  it('zoom, steer, follow and ask for help', async () => {
    const { press, fit, zoom, steer, follow, help } = await bench();
    ['w', '+', '-', ']', '[', ',', '.', 'f', '?'].forEach(press);
    expect(fit).toHaveBeenCalledTimes(1);
    expect(zoom.mock.calls).toEqual([[1.25], [0.8]]);
    expect(steer.mock.calls).toEqual([
      [1.01, 0],
      [1 / 1.01, 0],
      [1, -0.01],
      [1, 0.01],
    ]);
    expect([follow, help].map((f) => f.mock.calls.length)).toEqual([1, 1]);
  });

  it('a key that means nothing is the browser’s', async () => {
    const { press } = await bench();
    expect(['F5', 'ctrl+t', 'z'].map(press)).toEqual([false, false, false]);
  });
});

describe('marks', () => {
  it('get a key here, once', async () => {
    const { press, draw, keys, step } = await bench();
    draw();
    expect(keys()).toEqual([0, 4, 8]);
    step(6);
    press('k');
    press('k');
    expect(keys().sort()).toEqual([0, 4, 6, 8]);
  });

  it('a region that is steered is pinned instead', async () => {
    const { press, draw, keys, pin, quad, stage } = await bench();
    draw();
    quad.value = [];
    stage.tool = 'steer';
    press('k');
    expect(pin).toHaveBeenCalledTimes(1);
    expect(keys()).toEqual([0, 4, 8]);
  });

  it('are moved by one px and by ten', async () => {
    const { press, draw, shape } = await bench();
    draw();
    const left = (): number => Math.min(...Object.values(shape().keys)[0].points.map((p) => p.x));
    press('ctrl+ArrowRight');
    expect(left()).toBe(11);
    press('ctrl+shift+ArrowLeft');
    expect(left()).toBe(1);
  });

  it('Delete takes the smallest thing that is chosen: a point, then keys, then the shape', async () => {
    const { press, draw, keys, shape, stage, doc } = await bench();
    draw();
    const id = stage.shapeId;
    stage.point = 0;
    press('Delete');
    expect(Object.values(shape().keys)[0].points).toHaveLength(3);
    stage.point = undefined;
    stage.keys = [4, 8].map((frame) => ({ lane: id, frame }));
    press('Backspace');
    expect(keys()).toEqual([0]);
    expect(stage.keys).toEqual([]);
    press('Delete');
    expect(doc.document.removals[stage.removalId].shapes).toEqual({});
    expect(stage.shapeId).toBe('');
  });

  it('Escape leaves off: what is drawn, what is chosen, and full screen before all else', async () => {
    const { press, stage, editing } = await bench();
    stage.tool = 'path';
    editing.press({ x: 1, y: 1 });
    stage.clean = true;
    press('Escape');
    expect([stage.clean, stage.tool, editing.drawn.value.length]).toEqual([false, 'path', 1]);
    press('Escape');
    expect([stage.tool, editing.drawn.value.length]).toEqual(['pick', 0]);
  });

  it('copied keys are put where one is; where nothing is chosen, or text is, copying is the browser’s', async () => {
    const { press, draw, keys, stage, step } = await bench();
    expect(press('ctrl+c')).toBe(false);
    draw();
    stage.keys = [{ lane: stage.shapeId, frame: 4 }];
    globalThis.getSelection = (() => 'some words') as unknown as typeof getSelection;
    expect(press('ctrl+c')).toBe(false);
    globalThis.getSelection = (() => '') as unknown as typeof getSelection;
    expect(press('ctrl+c')).toBe(true);
    step(6);
    press('ctrl+v');
    expect(keys().sort()).toEqual([0, 4, 6, 8]);
  });
});
