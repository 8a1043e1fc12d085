import { beforeEach, describe, expect, it } from '@jest/globals';
import { nextTick } from 'vue';
import { rectanglePoints } from '../../../core/shapes/shape.ts';
import { addRemoval, addShape, setKey } from '../../document/edits.ts';
import { lanesOf, TRIM_LANE } from '../../document/keyGroups.ts';
import { setTrim } from '../../document/trimEdits.ts';
import { openQuietly, startQuietly } from '../../testing/quietServer.ts';
import { useStage } from './stageStore.ts';
import { useKeyClipboard } from './useKeyClipboard.ts';
import { useKeyDrag } from './useKeyDrag.ts';

const FRAMES = 100;
const PLAIN = { shiftKey: false, altKey: false } as MouseEvent;
const SHIFT = { shiftKey: true, altKey: false } as MouseEvent;
const ALT = { shiftKey: false, altKey: true } as MouseEvent;

/** A thing with two shapes (keys at 10, 20, 30 and at 20) and a trim (keys at 20 and 40); a server that answers nothing more. */
async function bench() {
  const doc = await openQuietly();
  const stage = useStage();
  let [id, a, b] = ['', '', ''];
  doc.edit('Start', (draft) => {
    id = addRemoval(draft);
    const removal = draft.removals[id];
    const box = rectanglePoints(0, 0, 50, 50);
    [a, b] = [addShape(removal, 'rectangle', 10, box), addShape(removal, 'ellipse', 20, box)];
    for (const f of [20, 30]) setKey(removal.shapes[a], f, box);
    for (const f of [20, 40]) setTrim(removal, f, 'exposure', f / 40);
  });
  stage.selectRemoval(id);
  const removal = () => doc.document.removals[id];
  const drag = useKeyDrag(
    () => lanesOf(removal()),
    () => FRAMES,
    () => ({ frames: [50, 99], within: 2 }),
  );
  const frames = (lane: string): number[] =>
    Object.keys(lane === TRIM_LANE ? removal().trim! : removal().shapes[lane].keys).map(Number);
  return { doc, stage, drag, a, b, removal, frames };
}

beforeEach(() => startQuietly(99));

describe('keys on the strip', () => {
  it('one that is pressed and let go is where a person wants to look', async () => {
    const { drag, stage, a, frames } = await bench();
    drag.grab({ lane: a, frame: 20 }, { frame: 20, lane: 0 }, PLAIN);
    expect(drag.drop()).toBe(20);
    expect([stage.shapeId, stage.keys]).toEqual([a, [{ lane: a, frame: 20 }]]);
    expect(frames(a)).toEqual([10, 20, 30]);
  });

  it('go where they are dragged, those of the trim too, and are still chosen there', async () => {
    const { drag, stage, a, frames } = await bench();
    drag.grab({ lane: a, frame: 30 }, { frame: 30, lane: 0 }, PLAIN);
    drag.grab({ lane: TRIM_LANE, frame: 40 }, { frame: 40, lane: 2 }, SHIFT);
    // A trim is no shape: the one that was chosen stays so.
    expect(stage.shapeId).toBe(a);
    drag.grab({ lane: TRIM_LANE, frame: 40 }, { frame: 40, lane: 2 }, PLAIN);
    drag.moveTo({ frame: 45, lane: 2 });
    expect(drag.retiming.value!(40)).toBe(45);
    expect(drag.drop()).toBeUndefined();
    expect([frames(a), frames(TRIM_LANE)]).toEqual([
      [10, 20, 35],
      [20, 45],
    ]);
    expect(stage.keys).toEqual([
      { lane: a, frame: 35 },
      { lane: TRIM_LANE, frame: 45 },
    ]);
  });

  it('are copied with Alt, and taken out of the choice with Shift', async () => {
    const { drag, stage, a, frames } = await bench();
    drag.grab({ lane: a, frame: 10 }, { frame: 10, lane: 0 }, ALT);
    drag.moveTo({ frame: 15, lane: 0 });
    drag.drop();
    expect(frames(a)).toEqual([10, 15, 20, 30]);
    drag.grab({ lane: a, frame: 15 }, { frame: 15, lane: 0 }, SHIFT);
    expect(stage.keys).toEqual([]);
  });

  it('are chosen by a band over lanes and frames, in addition to those before', async () => {
    const { drag, stage, a, b } = await bench();
    drag.grab({ lane: a, frame: 10 }, { frame: 10, lane: 0 }, PLAIN);
    drag.drop();
    drag.band({ frame: 25, lane: 2 });
    drag.moveTo({ frame: 15, lane: 1 });
    expect(stage.keys).toEqual([
      { lane: a, frame: 10 },
      { lane: b, frame: 20 },
      { lane: TRIM_LANE, frame: 20 },
    ]);
    expect(drag.drop()).toBeUndefined();
  });

  it('are stretched by one end of what is chosen, the other stays', async () => {
    const { drag, stage, a, frames } = await bench();
    stage.keys = [10, 20, 30].map((frame) => ({ lane: a, frame }));
    drag.grabEnd('last');
    drag.moveTo({ frame: 50, lane: 0 });
    drag.drop();
    expect(frames(a)).toEqual([10, 30, 50]);
    drag.grabEnd('first');
    drag.moveTo({ frame: 30, lane: 0 });
    drag.drop();
    expect(frames(a)).toEqual([30, 40, 50]);
  });

  it('are held by what lies near: marked frames, and keys that are not in hand', async () => {
    const { drag, a } = await bench();
    const at = (frame: number, free = false): [number, number | undefined] => {
      drag.moveTo({ frame, lane: 0 }, free);
      return [drag.drag.value!.at.frame, drag.drag.value!.held];
    };
    drag.grab({ lane: a, frame: 30 }, { frame: 30, lane: 0 }, PLAIN);
    expect(at(48)).toEqual([50, 50]);
    expect(at(47)).toEqual([47, undefined]);
    expect(at(48, true)).toEqual([48, undefined]);
    // A key of the trim lies at 40; the place it comes from, 30, is left as easily as any other.
    expect(at(41)).toEqual([40, 40]);
    expect(at(31)).toEqual([31, undefined]);
    expect(at(97)).toEqual([99, 99]);
  });

  it('of two that hold, the nearer one does; a band is held by none', async () => {
    const { drag, a, stage } = await bench();
    stage.keys = [{ lane: a, frame: 10 }];
    drag.grab({ lane: a, frame: 10 }, { frame: 10, lane: 0 }, PLAIN);
    drag.moveTo({ frame: 21, lane: 0 });
    expect(drag.drag.value!.at.frame).toBe(20);
    drag.abandon();
    drag.band({ frame: 45, lane: 1 });
    drag.moveTo({ frame: 49, lane: 2 });
    expect([drag.drag.value!.at.frame, drag.drag.value!.held]).toEqual([49, undefined]);
  });

  it('that are gone are not chosen any more', async () => {
    const { doc, stage, a } = await bench();
    stage.keys = [
      { lane: a, frame: 20 },
      { lane: TRIM_LANE, frame: 40 },
    ];
    doc.edit('Delete', (draft) => {
      const removal = draft.removals[stage.removalId];
      delete removal.shapes[a].keys[20];
      delete removal.trim;
    });
    await nextTick();
    expect(stage.keys).toEqual([]);
  });

  it('abandoned in mid-drag, stay where they were', async () => {
    const { drag, a, frames } = await bench();
    drag.grab({ lane: a, frame: 10 }, { frame: 10, lane: 0 }, PLAIN);
    drag.moveTo({ frame: 60, lane: 0 });
    drag.abandon();
    expect([drag.drag.value, drag.retiming.value, drag.drop()]).toEqual([undefined, undefined, undefined]);
    expect(frames(a)).toEqual([10, 20, 30]);
  });
});

describe('the clipboard of keys', () => {
  it('holds keys of shapes and of the trim, and puts them where the frame is', async () => {
    const { stage, a, removal, frames } = await bench();
    const clipboard = useKeyClipboard(() => FRAMES);
    expect([clipboard.count, clipboard.copy(), clipboard.paste(50)]).toEqual([0, false, false]);
    stage.keys = [
      { lane: a, frame: 20 },
      { lane: a, frame: 30 },
      { lane: TRIM_LANE, frame: 20 },
    ];
    expect([clipboard.copy(), clipboard.count]).toEqual([true, 3]);
    stage.selectShape(a);
    expect(clipboard.paste(60)).toBe(true);
    expect([frames(a), frames(TRIM_LANE)]).toEqual([
      [10, 20, 30, 60, 70],
      [20, 40, 60],
    ]);
    expect(removal().trim![60].exposure).toBe(0.5);
    expect(stage.keys).toHaveLength(3);
    clipboard.forget();
    expect(clipboard.count).toBe(0);
  });
});
