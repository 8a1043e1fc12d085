import { describe, expect, it } from '@jest/globals';
import type { ShapeNode, ShotDocument } from '../../contract/document.ts';
import type { MoverView } from '../../contract/movers.ts';
import { sharpPoints } from '../../core/shapes/shape.ts';
import { addRemoval, addShape } from './edits.ts';
import { moverUses, nameOfMover } from './moverUse.ts';

const mover: MoverView = { first: 0, last: 20, best: 10, box: [100, 50, 40, 100], path: [] };

/** A document with one rectangle, drawn at frames 0 and 20. */
function drawn(at: number[], to: number[], operation: ShapeNode['operation'] = 'add'): [ShotDocument, string] {
  const document: ShotDocument = { removals: {}, tracks: {} };
  const removalId = addRemoval(document);
  const removal = document.removals[removalId];
  const id = addShape(removal, 'path', 0, []);
  const points = ([x, y, w, h]: number[]) => sharpPoints([x, y, x + w, y, x + w, y + h, x, y + h]);
  removal.shapes[id].operation = operation;
  removal.shapes[id].keys = {
    0: { ease: 'linear', points: points(at) },
    20: { ease: 'linear', points: points(to) },
  };
  return [document, removalId];
}

describe('what has become of a mover', () => {
  it('is told by where shapes are on the frame that shows it best, between their keys too', () => {
    const [document] = drawn([0, 50, 40, 100], [200, 50, 40, 100]);
    expect(moverUses(document, [mover, { ...mover, best: 0 }], '')).toEqual(['goes', undefined]);
  });

  it('is the same with its shadow and without, but nothing that only reaches over it', () => {
    const [wide] = drawn([90, 40, 100, 115], [90, 40, 100, 115]);
    const [all] = drawn([0, 0, 400, 300], [0, 0, 400, 300]);
    const [speck] = drawn([110, 60, 10, 10], [110, 60, 10, 10]);
    expect([wide, all, speck].map((d) => moverUses(d, [mover], '')[0])).toEqual(['goes', undefined, undefined]);
  });

  it('counts what is held out for the removal that is chosen, and what is cut out not at all', () => {
    const [held, id] = drawn(mover.box, mover.box, 'hold');
    expect([id, ''].map((chosen) => moverUses(held, [mover], chosen)[0])).toEqual(['stays', undefined]);
    const [cut, cutId] = drawn(mover.box, mover.box, 'subtract');
    expect(moverUses(cut, [mover], cutId)).toEqual([undefined]);
  });

  it('is nothing where a shape is not seen on that frame, or has no key yet', () => {
    const [document, id] = drawn(mover.box, mover.box);
    const [shape] = Object.values(document.removals[id].shapes);
    shape.visible = { from: 0, to: 9 };
    expect(moverUses(document, [mover], '')).toEqual([undefined]);
    shape.visible = undefined;
    shape.keys = {};
    expect(moverUses(document, [mover], '')).toEqual([undefined]);
  });
});

it('what seems to stand is counted by itself', () => {
  const standing = { ...mover, stands: true };
  const all = [mover, mover, standing, standing];
  expect(all.map((_, i) => nameOfMover(all, i))).toEqual(['Mover 1', 'Mover 2', 'Standing 1', 'Standing 2']);
});
