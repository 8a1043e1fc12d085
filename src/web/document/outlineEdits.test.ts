import { describe, expect, it } from '@jest/globals';
import { frameNumbers, type ShapeNode, type ShotDocument } from '../../contract/document.ts';
import { sharpPoints } from '../../core/shapes/shape.ts';
import { makeConstant, removeKey, setKey } from './edits.ts';
import { dropAnchor, isFollowed } from './outlineAnchors.ts';
import { putOutline } from './outlineEdits.ts';

const CLICK = { add: [[5, 5]], remove: [] };
const square = (at: number): number[] => [at, at, at + 10, at, at + 10, at + 10, at, at + 10];
const keysOf = (shape: ShapeNode): number[] => Object.keys(shape.keys).map(Number);

/** An outline with anchors at 10 and 20, followed from 5 to 25, lost from 26 to 30. */
function made(): { doc: ShotDocument; shape: ShapeNode; place: { removalId: string; shapeId: string } } {
  const doc: ShotDocument = { removals: {}, tracks: {} };
  const place = putOutline(doc, { removalId: '', shapeId: '' }, 10, CLICK, square(10));
  putOutline(doc, place, 20, CLICK, square(20));
  const shape = doc.removals[place.removalId].shapes[place.shapeId];
  for (let f = 5; f <= 25; f++) shape.keys[f] ??= { ease: 'linear', points: sharpPoints(square(f)) };
  shape.outline!.lost = [{ from: 26, to: 30 }];
  shape.visible = { from: 5, to: 25 };
  return { doc, shape, place };
}

describe('an outline that is pointed at', () => {
  it('makes a removal and a shape that is seen on its frame alone', () => {
    const doc: ShotDocument = { removals: {}, tracks: {} };
    const { removalId, shapeId } = putOutline(doc, { removalId: '', shapeId: '' }, 7, CLICK, square(0));
    const shape = doc.removals[removalId].shapes[shapeId];
    expect([shape.kind, shape.visible, shape.keys[7].points.length]).toEqual(['path', { from: 7, to: 7 }, 4]);
    expect(isFollowed(shape)).toBe(false);
    const more = putOutline(doc, { removalId, shapeId: '' }, 9, CLICK, square(0));
    expect([more.removalId, Object.keys(doc.removals[removalId].shapes).length]).toEqual([removalId, 2]);
  });

  it('forgets what was followed between the anchors around a new one, and nothing else', () => {
    const { doc, shape, place } = made();
    expect(isFollowed(shape)).toBe(true);
    putOutline(doc, place, 15, CLICK, square(50));
    expect(keysOf(shape)).toEqual([5, 6, 7, 8, 9, 10, 15, 20, 21, 22, 23, 24, 25]);
    expect(frameNumbers(shape.outline!.anchors)).toEqual([10, 15, 20]);
    expect(shape.outline!.lost).toEqual([{ from: 26, to: 30 }]);
    putOutline(doc, place, 28, CLICK, square(60));
    expect(keysOf(shape)).toEqual([5, 6, 7, 8, 9, 10, 15, 20, 28]);
    expect([shape.outline!.lost, shape.visible]).toEqual([[], { from: 5, to: 28 }]);
  });

  it('has an anchor wherever its key is changed by hand', () => {
    const { shape } = made();
    setKey(shape, 12, sharpPoints(square(99)));
    expect(frameNumbers(shape.outline!.anchors)).toEqual([10, 12, 20]);
    expect(keysOf(shape).filter((f) => f > 10 && f < 20)).toEqual([12]);
    expect(shape.outline!.anchors[12].mends).toBe(true);
  });

  it('loses an anchor with its key, but never the last one', () => {
    const { shape } = made();
    removeKey(shape, 20);
    expect(frameNumbers(shape.outline!.anchors)).toEqual([10]);
    expect(keysOf(shape)).toEqual([5, 6, 7, 8, 9, 10]);
    dropAnchor(shape, 10);
    expect(frameNumbers(shape.outline!.anchors)).toEqual([10]);
    removeKey(shape, 7);
    expect(keysOf(shape)).toEqual([5, 6, 8, 9, 10]);
  });

  it('is followed no more once it is constant', () => {
    const { shape } = made();
    makeConstant('x', shape, 10);
    expect([shape.outline, keysOf(shape)]).toEqual([undefined, [10]]);
  });
});
