import { beforeEach, describe, expect, it } from '@jest/globals';
import { keyFrames } from '../../document/edits.ts';
import { addTrack } from '../../document/trackEdits.ts';
import { boundsOf } from '../../marks/pathEdits.ts';
import { openQuietly, startQuietly } from '../../testing/quietServer.ts';
import { useStage } from './stageStore.ts';
import { useShapeEditing } from './useShapeEditing.ts';

const NO_KEYS = { alt: false, shift: false };
let frame = 0;

/** Editing at a screen scale of 1, with a server that answers the opening and nothing after it. */
async function bench() {
  const doc = await openQuietly();
  const stage = useStage();
  const editing = useShapeEditing(
    () => frame,
    () => 1,
  );
  const drawBox = (): void => {
    stage.tool = 'rectangle';
    editing.press({ x: 10, y: 20 });
    editing.dragTo({ x: 50, y: 40 }, NO_KEYS);
    editing.drop();
  };
  const shape = () => Object.values(doc.document.removals[stage.removalId].shapes)[0];
  const bounds = () => boundsOf(editing.selected.value!.points);
  return { doc, stage, editing, drawBox, shape, bounds };
}

beforeEach(() => {
  frame = 0;
  startQuietly(9);
});

describe('drawing', () => {
  it('makes the first thing by itself, chooses the shape and takes up the hand again', async () => {
    const { doc, stage, drawBox, bounds } = await bench();
    drawBox();
    expect(Object.values(doc.document.removals).map((r) => r.name)).toEqual(['Thing 1']);
    expect([stage.tool, bounds()]).toEqual(['pick', { x: 10, y: 20, width: 40, height: 20 }]);
  });

  it('what is drawn within the region of the track that is worked on rides on it; what lies beside it does not', async () => {
    const { doc, stage, drawBox, shape } = await bench();
    const trackAt = (x: number): void => {
      doc.edit('Add a region', (draft) => (stage.trackId = addTrack(draft, 0, [x, 0, x + 90, 0, x + 90, 90, x, 90])));
    };
    trackAt(100);
    drawBox();
    expect(shape().rides).toBeUndefined();
    doc.edit('Delete', (draft) => (draft.removals = {}));
    trackAt(0);
    frame = 3;
    drawBox();
    expect(shape().rides).toEqual({ track: stage.trackId, home: 3 });
    expect(keyFrames(shape())).toEqual([3]);
  });

  it('a click without a drag draws no box', async () => {
    const { doc, stage, editing } = await bench();
    stage.tool = 'ellipse';
    editing.press({ x: 10, y: 20 });
    editing.dragTo({ x: 12, y: 20 }, NO_KEYS);
    editing.drop();
    expect(doc.document.removals).toEqual({});
  });

  it('shift makes it even', async () => {
    const { stage, editing, bounds } = await bench();
    stage.tool = 'ellipse';
    editing.press({ x: 10, y: 20 });
    editing.dragTo({ x: 50, y: 40 }, { alt: false, shift: true });
    editing.drop();
    expect(bounds()).toEqual({ x: 10, y: 20, width: 40, height: 40 });
  });

  it('an outline is closed by its first point, bent while the button is down, and left off with nothing left', async () => {
    const { stage, editing, shape } = await bench();
    stage.tool = 'path';
    editing.press({ x: 0, y: 0 });
    editing.press({ x: 100, y: 0 });
    editing.bend({ x: 100, y: 30 });
    editing.press({ x: 50, y: 80 });
    editing.press({ x: 3, y: 3 });
    const [, second] = shape().keys[0].points;
    expect(shape().keys[0].points).toHaveLength(3);
    expect([second.outX, second.outY, second.inY]).toEqual([0, 30, -30]);
    stage.tool = 'path';
    editing.press({ x: 0, y: 0 });
    editing.abandon();
    expect(editing.drawn.value).toEqual([]);
  });
});

describe('dragging', () => {
  it('is seen at once, and one edit when the hand lets go: a key at the frame', async () => {
    const { doc, stage, editing, drawBox, shape, bounds } = await bench();
    drawBox();
    frame = 7;
    editing.grab(stage.shapeId, { kind: 'body' }, { x: 20, y: 30 });
    editing.dragTo({ x: 60, y: 35 }, NO_KEYS);
    expect([bounds().x, doc.unsent]).toEqual([50, 1]);
    editing.dragTo({ x: 70, y: 35 }, NO_KEYS);
    editing.drop();
    expect([keyFrames(shape()), bounds().x, doc.unsent, doc.undoLabel]).toEqual([[0, 7], 60, 2, 'Move a shape']);
  });

  it('is held by the sides and middles of other shapes that it comes near, unless ctrl or shift is held', async () => {
    const { stage, editing, drawBox, bounds } = await bench();
    drawBox();
    stage.tool = 'rectangle';
    editing.press({ x: 200, y: 100 });
    editing.dragTo({ x: 230, y: 160 }, NO_KEYS);
    editing.drop();
    editing.grab(stage.shapeId, { kind: 'body' }, { x: 210, y: 110 });
    // Its left side comes 3 px from the first box's right one; its middle down 4 px from that one's lower side.
    editing.dragTo({ x: 63, y: 24 }, NO_KEYS);
    expect([bounds(), editing.lines.value]).toEqual([
      { x: 50, y: 10, width: 30, height: 60 },
      { x: 50, y: 40 },
    ]);
    editing.dragTo({ x: 63, y: 24 }, { ...NO_KEYS, ctrl: true });
    expect([bounds().x, bounds().y, editing.lines.value]).toEqual([53, 14, {}]);
    editing.dragTo({ x: 63, y: 24 }, NO_KEYS);
    editing.drop();
    expect([bounds().x, editing.lines.value]).toEqual([50, {}]);
    // The side in hand alone is held, and the other one stays.
    editing.grab(stage.shapeId, { kind: 'scale', x: -1, y: 0 }, { x: 50, y: 40 });
    editing.dragTo({ x: 28, y: 50 }, NO_KEYS);
    editing.drop();
    expect(bounds()).toEqual({ x: 30, y: 10, width: 50, height: 60 });
  });

  it('that is cancelled changes nothing', async () => {
    const { doc, stage, editing, drawBox, bounds } = await bench();
    drawBox();
    editing.grab(stage.shapeId, { kind: 'body' }, { x: 20, y: 30 });
    editing.dragTo({ x: 60, y: 35 }, NO_KEYS);
    editing.abandon();
    expect([bounds().x, doc.unsent]).toEqual([10, 1]);
  });

  it('a corner scales about the other, with alt about the centre', async () => {
    const { stage, editing, drawBox, bounds } = await bench();
    drawBox();
    editing.grab(stage.shapeId, { kind: 'scale', x: 1, y: 1 }, { x: 50, y: 40 });
    editing.dragTo({ x: 90, y: 60 }, NO_KEYS);
    editing.drop();
    expect(bounds()).toEqual({ x: 10, y: 20, width: 80, height: 40 });
    editing.grab(stage.shapeId, { kind: 'scale', x: 1, y: 0 }, { x: 90, y: 40 });
    editing.dragTo({ x: 70, y: 40 }, { alt: true, shift: false });
    editing.drop();
    expect(bounds()).toEqual({ x: 30, y: 20, width: 40, height: 40 });
  });

  it('a corner with ctrl is pulled alone, as in perspective', async () => {
    const { stage, editing, drawBox, shape } = await bench();
    drawBox();
    editing.grab(stage.shapeId, { kind: 'scale', x: 1, y: -1 }, { x: 50, y: 20 });
    editing.dragTo({ x: 60, y: 10 }, { alt: false, shift: false, ctrl: true });
    editing.drop();
    expect(shape().keys[0].points.map((p) => [Math.round(p.x), Math.round(p.y)])).toEqual([
      [10, 20],
      [60, 10],
      [50, 40],
      [10, 40],
    ]);
  });

  it('a turn with shift goes in steps of 15°', async () => {
    const { stage, editing, drawBox, bounds } = await bench();
    drawBox();
    editing.grab(stage.shapeId, { kind: 'turn' }, { x: 30, y: 0 });
    editing.dragTo({ x: 70, y: 28 }, { alt: false, shift: true });
    editing.drop();
    expect(bounds()).toEqual({ x: 20, y: 10, width: 20, height: 40 });
  });

  it('points are inserted, moved, nudged and deleted', async () => {
    const { stage, editing, drawBox, shape } = await bench();
    drawBox();
    editing.insert({ x: 30, y: 19 });
    expect([shape().keys[0].points.length, stage.point]).toEqual([5, 1]);
    editing.nudge(0, -10);
    expect(shape().keys[0].points[1]).toMatchObject({ x: 30, y: 10 });
    editing.deletePoint();
    expect([shape().keys[0].points.length, stage.point]).toEqual([4, undefined]);
  });
});
