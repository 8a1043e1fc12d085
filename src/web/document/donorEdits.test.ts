import { expect, it } from '@jest/globals';
import { newRemoval, type RemovalNode } from '../../contract/document.ts';
import { rectanglePoints } from '../../core/shapes/shape.ts';
import { startingDonor } from './donorEdits.ts';

const empty = newRemoval({}, 'Sign');

it('a donor starts beside what is outlined at the frame', () => {
  const shape = {
    name: 'Shape 1',
    rank: 0,
    kind: 'rectangle' as const,
    operation: 'add' as const,
    keys: {
      0: { ease: 'linear' as const, points: rectanglePoints(10, 0, 50, 20) },
      10: { ease: 'linear' as const, points: rectanglePoints(10, 0, 70, 20) },
    },
  };
  const removal: RemovalNode = { ...empty, shapes: { a: shape } };
  expect(startingDonor(removal, 0)).toEqual({ frame: 0, dx: 48, dy: 0 });
  expect(startingDonor(removal, 5)).toEqual({ frame: 5, dx: 58, dy: 0 });
});

it('and somewhere where nothing is', () => {
  expect(startingDonor(empty, 5)).toEqual({ frame: 5, dx: 100, dy: 0 });
});
