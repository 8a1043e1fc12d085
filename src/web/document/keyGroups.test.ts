import { describe, expect, it } from '@jest/globals';
import { frameNumbers, type RemovalNode, type ShotDocument } from '../../contract/document.ts';
import { shotDocument } from '../../contract/documentSchema.ts';
import { rectanglePoints } from '../../core/shapes/shape.ts';
import { addRemoval, addShape, keyFrames, setKey } from './edits.ts';
import {
  copyKeys,
  laneKeys,
  lanesOf,
  pasteKeys,
  removeKeys,
  retimeKeys,
  shiftBy,
  stretchTo,
  TRIM_LANE,
} from './keyGroups.ts';
import { setTrim } from './trimEdits.ts';

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
      { lane: a, frame: 10 },
      { lane: a, frame: 20 },
      { lane: b, frame: 40 },
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
      { lane: a, frame: 20 },
      { lane: a, frame: 30 },
      { lane: b, frame: 50 },
    ]);
    retimeKeys(removal, now, shiftBy(200), FRAMES);
    expect(keyFrames(removal.shapes[b])).toEqual([20, 99]);
  });

  it('are copied to other frames, and the first ones stay', () => {
    const { removal, a } = start();
    retimeKeys(removal, [{ lane: a, frame: 10 }], shiftBy(15), FRAMES, true);
    expect(drawnAt(removal, a)).toEqual([
      [10, 10],
      [20, 20],
      [25, 10],
      [30, 30],
    ]);
  });

  it('are stretched about one end, and squeezed until the later one is kept', () => {
    const { removal, a } = start();
    const all = [10, 20, 30].map((frame) => ({ lane: a, frame }));
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
    const chosen = [10, 20].map((frame) => ({ lane: a, frame }));
    retimeKeys(removal, chosen, shiftBy(5), FRAMES);
    expect(removal.shapes[a].outline!.anchors).toEqual({ 15: pointed, 25: { add: [], remove: [], mends: true } });
    expect(keyFrames(removal.shapes[a])).toEqual([15, 25, 30]);
    expect(shotDocument.validate(doc).error).toBeUndefined();
  });

  it('are deleted but for the last of a shape', () => {
    const { removal, a } = start();
    removeKeys(
      removal,
      [10, 20, 30].map((frame) => ({ lane: a, frame })),
    );
    expect(keyFrames(removal.shapes[a])).toEqual([30]);
  });
});

describe('keys of a hand trim', () => {
  const trimmed = () => {
    const all = start();
    setTrim(all.removal, 10, 'exposure', 1);
    setTrim(all.removal, 20, 'exposure', 2);
    return all;
  };
  const exposures = ({ trim }: RemovalNode): [number, number][] =>
    frameNumbers(trim ?? {}).map((f) => [f, trim![f].exposure]);
  const at = (...frames: number[]) => frames.map((frame) => ({ lane: TRIM_LANE, frame }));

  it('have a lane below the shapes, if there are any', () => {
    const { removal, a, b } = start();
    expect(lanesOf(removal)).toEqual([a, b]);
    expect(laneKeys(removal, TRIM_LANE)).toBeUndefined();
    setTrim(removal, 10, 'opacity', 50);
    expect(lanesOf(removal)).toEqual([a, b, TRIM_LANE]);
    expect(Object.keys(laneKeys(removal, TRIM_LANE)!)).toEqual(['10']);
    expect(laneKeys(removal, 'gone')).toBeUndefined();
  });

  it('are moved together with keys of shapes', () => {
    const { removal, a } = trimmed();
    const now = retimeKeys(removal, [{ lane: a, frame: 10 }, ...at(20)], shiftBy(5), FRAMES);
    expect(now).toEqual([{ lane: a, frame: 15 }, ...at(25)]);
    expect(exposures(removal)).toEqual([
      [10, 1],
      [25, 2],
    ]);
    expect(drawnAt(removal, a)[0]).toEqual([15, 10]);
  });

  it('are stretched, copied, and replace a key where they arrive', () => {
    const { removal } = trimmed();
    retimeKeys(removal, at(10, 20), stretchTo(10, 20, 40), FRAMES);
    expect(exposures(removal)).toEqual([
      [10, 1],
      [40, 2],
    ]);
    retimeKeys(removal, at(10), shiftBy(30), FRAMES, true);
    expect(exposures(removal)).toEqual([
      [10, 1],
      [40, 1],
    ]);
  });

  it('go to another removal without its shapes being touched, and no farther than the clip', () => {
    const { doc, removal } = trimmed();
    const other = doc.removals[addRemoval(doc)];
    const into = addShape(other, 'path', 0, rectanglePoints(0, 0, 1, 1));
    const copied = copyKeys(removal, at(10, 20))!;
    expect(pasteKeys(other, copied, 95, FRAMES, into)).toEqual(at(95));
    expect(exposures(other)).toEqual([[95, 1]]);
    expect(drawnAt(other, into)).toEqual([[0, 0]]);
    expect(shotDocument.validate(doc).error).toBeUndefined();
  });

  it('are all deleted, and the trim with the last of them', () => {
    const { removal } = trimmed();
    removeKeys(removal, at(10));
    expect(exposures(removal)).toEqual([[20, 2]]);
    removeKeys(removal, at(20));
    expect(removal.trim).toBeUndefined();
  });
});

describe('copied keys', () => {
  it('go into the chosen shape of another removal, from the frame at hand on', () => {
    const { doc, removal, a } = start();
    const other = doc.removals[addRemoval(doc)];
    const into = addShape(other, 'path', 0, rectanglePoints(0, 0, 1, 1));
    const copied = copyKeys(removal, [
      { lane: a, frame: 30 },
      { lane: a, frame: 20 },
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
      { lane: a, frame: 10 },
      { lane: b, frame: 20 },
      { lane: b, frame: 40 },
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
