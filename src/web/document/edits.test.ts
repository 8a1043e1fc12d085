import { describe, expect, it } from '@jest/globals';
import { ranked, toShape, type RemovalNode, type ShotDocument } from '../../contract/document.ts';
import { shotDocument } from '../../contract/documentSchema.ts';
import { pathAt } from '../../core/shapes/interpolate.ts';
import { rectanglePoints } from '../../core/shapes/shape.ts';
import {
  addRemoval,
  addShape,
  keyFrames,
  makeConstant,
  moveRemoval,
  pinKey,
  removalKeyFrames,
  removeKey,
  setKey,
} from './edits.ts';

function start(): { doc: ShotDocument; removal: RemovalNode; shape: RemovalNode['shapes'][string]; id: string } {
  const doc: ShotDocument = { removals: {}, tracks: {} };
  const removal = doc.removals[addRemoval(doc)];
  const id = addShape(removal, 'rectangle', 10, rectanglePoints(0, 0, 10, 10));
  return { doc, removal, shape: removal.shapes[id], id };
}
const left = (shape: RemovalNode['shapes'][string], frame: number): number => pathAt(toShape('s', shape), frame)![0].x;

it('what is added is a document that the server takes', () => {
  expect(shotDocument.validate(start().doc).error).toBeUndefined();
});

it('the order of removals is changed by rank alone', () => {
  const doc: ShotDocument = { removals: {}, tracks: {} };
  const [a, b, c] = [addRemoval(doc), addRemoval(doc), addRemoval(doc)];
  moveRemoval(doc, c, a);
  expect(ranked(doc.removals).map(([id]) => id)).toEqual([c, a, b]);
  moveRemoval(doc, c, b);
  expect(ranked(doc.removals).map(([id]) => id)).toEqual([a, c, b]);
  moveRemoval(doc, a, undefined);
  expect(ranked(doc.removals).map(([id]) => id)).toEqual([c, b, a]);
});

describe('keys', () => {
  it('are set with the ease of the key before, and a pinned key changes nothing that is seen', () => {
    const { shape, id } = start();
    shape.keys[10].ease = 'smooth';
    setKey(shape, 20, rectanglePoints(100, 0, 110, 10));
    expect(shape.keys[20].ease).toBe('smooth');
    shape.keys[10].ease = 'linear';
    const before = left(shape, 15);
    pinKey(id, shape, 15);
    expect([keyFrames(shape), left(shape, 15)]).toEqual([[10, 15, 20], before]);
  });

  it('are pinned outside the frames in which the shape counts, too', () => {
    const { shape, id } = start();
    shape.visible = { from: 10, to: 12 };
    pinKey(id, shape, 30);
    expect(keyFrames(shape)).toEqual([10, 30]);
  });

  it('are counted over all shapes, and deleted but for the last', () => {
    const { removal, shape } = start();
    setKey(shape, 25, rectanglePoints(100, 0, 110, 10));
    addShape(removal, 'ellipse', 12, rectanglePoints(0, 0, 1, 1));
    expect(removalKeyFrames(removal)).toEqual([10, 12, 25]);
    removeKey(shape, 10);
    removeKey(shape, 25);
    expect(keyFrames(shape)).toEqual([25]);
  });

  it('become one when a shape is made constant', () => {
    const { shape, id } = start();
    setKey(shape, 20, rectanglePoints(100, 0, 110, 10));
    makeConstant(id, shape, 15);
    expect([keyFrames(shape), left(shape, 0), left(shape, 99)]).toEqual([[15], 50, 50]);
  });
});
