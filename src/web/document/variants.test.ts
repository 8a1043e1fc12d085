import { expect, it } from '@jest/globals';
import { marksOf, marksText, toRemoval, type ShotDocument } from '../../contract/document.ts';
import { shotDocument } from '../../contract/documentSchema.ts';
import { rectanglePoints } from '../../core/shapes/shape.ts';
import { addRemoval, addShape, setKey } from './edits.ts';
import { addVariant, inPlaceOf, nextVariant, removeShape, useVariant } from './variants.ts';

it('one of a shape’s variants counts, and going back to it makes everything as it was', () => {
  const doc: ShotDocument = { removals: {}, tracks: {} };
  const id = addRemoval(doc);
  const removal = doc.removals[id];
  const loose = addShape(removal, 'rectangle', 0, rectanglePoints(0, 0, 50, 50));
  const other = addShape(removal, 'ellipse', 0, rectanglePoints(80, 0, 90, 9));
  const text = (): string => marksText(marksOf(doc, id)!);
  const counting = (): string[] => toRemoval(id, marksOf(doc, id)!).shapes.map((s) => s.id);
  const before = text();
  expect(nextVariant(removal, loose)).toBeUndefined();

  const tight = addVariant(removal, loose);
  expect(removal.shapes[tight].name).toBe('Box 1, variant 2');
  expect([counting(), text()]).toEqual([[other, tight], expect.not.stringContaining(before)]);
  setKey(removal.shapes[tight], 0, rectanglePoints(10, 10, 40, 40));
  const third = addVariant(removal, tight);
  expect(removal.shapes[third].name).toBe('Box 1, variant 3');
  expect(counting()).toEqual([other, third]);
  expect(shotDocument.validate(doc).error).toBeUndefined();

  expect([loose, tight, third, other].map((shape) => inPlaceOf(removal, shape))).toEqual([
    third,
    third,
    undefined,
    undefined,
  ]);

  expect(nextVariant(removal, third)).toBe(loose);
  useVariant(removal, loose);
  expect([counting(), text()]).toEqual([[loose, other], before]);

  removeShape(removal, loose);
  expect(counting()).toEqual([other, tight]);
  removeShape(removal, other);
  expect(counting()).toEqual([tight]);
});
