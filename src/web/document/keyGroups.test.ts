import { describe, expect, it } from '@jest/globals';
import type { RemovalNode, ShotDocument } from '../../contract/document.ts';
import { shotDocument } from '../../contract/documentSchema.ts';
import { rectanglePoints } from '../../core/shapes/shape.ts';
import { addRemoval, addShape, keyFrames, setKey } from './edits.ts';
import { copyKeys, pasteKeys, removeKeys, retimeKeys, shiftBy, stretchTo } from './keyGroups.ts';

/** Two shapes; the first has keys at 10, 20 and 30, the second at 20 and 40; a key's left side tells its frame. */
function start(): { doc: ShotDocument; removal: RemovalNode; a: string; b: string } {
  const doc: ShotDocument = { removals: {}, tracks: {} };
  const removal = doc.removals[addRemoval(doc)];
  const box = (frame: number) => rectanglePoints(frame, 0, frame + 50, 50);
  const [a, b] = [addShape(removal, 'rectangle', 10, box(10)), addShape(removal, 'ellipse', 20, box(20))];
  for (const f of [20, 30]) setKey(removal.shapes[a], f, box(f));
  setKey(removal.shapes[b], 40, box(40));
  return { doc, removal, a, b };
}
const FRAMES = 100;
const drawnAt = (removal: RemovalNode, id: string): [number, number][] =>
  keyFrames(removal.shapes[id]).map((f) => [f, removal.shapes[id].keys[f].points[0].x]);

describe('keys together', () => {
  it('are moved in several shapes, over a key that was not chosen, and stay within the clip', () => {
    const { removal, a, b } = start();
    const chosen = [
      { shapeId: a, frame: 10 },
      { shapeId: a, frame: 20 },
      { shapeId: b, frame: 40 },
    ];
    const now = retimeKeys(removal, chosen, shiftBy(10), FRAMES);
    expect(drawnAt(removal, a)).toEqual([
      [20, 10],
      [30, 20],
    ]);
    expect(drawnAt(removal, b)).toEqual([
      [20, 20],
      [50, 40],
    ]);
    expect(now).toEqual([
      { shapeId: a, frame: 20 },
      { shapeId: a, frame: 30 },
      { shapeId: b, frame: 50 },
    ]);
    retimeKeys(removal, now, shiftBy(200), FRAMES);
    expect(keyFrames(removal.shapes[b])).toEqual([20, 99]);
  });

  it('are copied to other frames, and the first ones stay', () => {
    const { removal, a } = start();
    retimeKeys(removal, [{ shapeId: a, frame: 10 }], shiftBy(15), FRAMES, true);
    expect(drawnAt(removal, a)).toEqual([
      [10, 10],
      [20, 20],
      [25, 10],
      [30, 30],
    ]);
  });

  it('are stretched about one end, and squeezed until the later one is kept', () => {
    const { removal, a } = start();
    const all = [10, 20, 30].map((frame) => ({ shapeId: a, frame }));
    const wide = retimeKeys(removal, all, stretchTo(10, 30, 50), FRAMES);
    expect(drawnAt(removal, a).map(([f]) => f)).toEqual([10, 30, 50]);
    retimeKeys(removal, wide, stretchTo(50, 10, 49), FRAMES);
    expect(drawnAt(removal, a)).toEqual([
      [49, 10],
      [50, 30],
    ]);
  });

  it('of an outline hold where they arrive, and what was pointed at goes with them', () => {
    const { doc, removal, a } = start();
    const pointed = { add: [[1, 1]], remove: [] };
    removal.shapes[a].outline = { anchors: { 10: pointed }, lost: [] };
    const chosen = [10, 20].map((frame) => ({ shapeId: a, frame }));
    retimeKeys(removal, chosen, shiftBy(5), FRAMES);
    expect(removal.shapes[a].outline!.anchors).toEqual({ 15: pointed, 25: { add: [], remove: [], mends: true } });
    expect(keyFrames(removal.shapes[a])).toEqual([15, 25, 30]);
    expect(shotDocument.validate(doc).error).toBeUndefined();
  });

  it('are deleted but for the last of a shape', () => {
    const { removal, a } = start();
    removeKeys(
      removal,
      [10, 20, 30].map((frame) => ({ shapeId: a, frame })),
    );
    expect(keyFrames(removal.shapes[a])).toEqual([30]);
  });
});

describe('copied keys', () => {
  it('go into the chosen shape of another removal, from the frame at hand on', () => {
    const { doc, removal, a } = start();
    const other = doc.removals[addRemoval(doc)];
    const into = addShape(other, 'path', 0, rectanglePoints(0, 0, 1, 1));
    const copied = copyKeys(removal, [
      { shapeId: a, frame: 30 },
      { shapeId: a, frame: 20 },
    ])!;
    pasteKeys(other, copied, 60, FRAMES, into);
    expect(drawnAt(other, into)).toEqual([
      [0, 0],
      [60, 20],
      [70, 30],
    ]);
    expect(drawnAt(removal, a)).toHaveLength(3);
  });

  it('of several shapes become shapes of their own, and what lies beyond the clip is left out', () => {
    const { doc, removal, a, b } = start();
    const other = doc.removals[addRemoval(doc)];
    removal.shapes[b].visible = { from: 20, to: 40 };
    const copied = copyKeys(removal, [
      { shapeId: a, frame: 10 },
      { shapeId: b, frame: 20 },
      { shapeId: b, frame: 40 },
    ])!;
    const placed = pasteKeys(other, copied, 75, FRAMES, undefined);
    expect(placed.map((k) => k.frame)).toEqual([75, 85]);
    expect(Object.values(other.shapes).map(({ kind, visible }) => [kind, visible])).toEqual([
      ['rectangle', undefined],
      ['ellipse', { from: 75, to: 95 }],
    ]);
    expect(shotDocument.validate(doc).error).toBeUndefined();
  });

  it('are none if nothing is chosen', () => {
    expect(copyKeys(start().removal, [])).toBeUndefined();
  });
});
