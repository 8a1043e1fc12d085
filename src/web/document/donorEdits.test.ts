import { expect, it } from '@jest/globals';
import { newRemoval, type RemovalNode, type ShotDocument } from '../../contract/document.ts';
import { rectanglePoints } from '../../core/shapes/shape.ts';
import { fillFromDonor, startingDonor } from './donorEdits.ts';
import { addTrack, rideOn } from './trackEdits.ts';

const empty = newRemoval({}, 'Sign');
const sight = (frame: number) => ({ frame, width: 200 });
const sign = (): RemovalNode => ({
  ...structuredClone(empty),
  shapes: {
    a: {
      name: 'Shape 1',
      rank: 0,
      kind: 'rectangle',
      operation: 'add',
      keys: {
        0: { ease: 'linear', points: rectanglePoints(10, 0, 50, 20) },
        10: { ease: 'linear', points: rectanglePoints(10, 0, 70, 20) },
      },
    },
  },
});

it('a donor starts beside what is outlined at the frame', () => {
  expect(startingDonor(sign(), {}, sight(0))).toEqual({ frame: 0, dx: 48, dy: 0 });
  expect(startingDonor(sign(), {}, sight(5))).toEqual({ frame: 5, dx: 58, dy: 0 });
});

it('on the side on which there is more of the picture', () => {
  expect(startingDonor(sign(), {}, { frame: 0, width: 55 }).dx).toBe(-48);
});

it('and somewhere where nothing is', () => {
  expect(startingDonor(empty, {}, sight(5))).toEqual({ frame: 5, dx: 100, dy: 0 });
});

it('comes first, beside what rides on a track as well, and stays where it was put before', () => {
  const doc: ShotDocument = { removals: { r: sign() }, tracks: {} };
  const track = addTrack(doc, 0, [0, 0, 10, 0, 10, 10, 0, 10]);
  // Twice as large at frame 5.
  doc.tracks[track].frames[5] = [1, 0, 0, 20, 0, 20, 20, 0, 20];
  rideOn(doc, doc.removals.r.shapes.a, track, 0);
  fillFromDonor(doc, 'r', sight(5));
  const { settings } = doc.removals.r;
  expect([settings.sources, settings.donor]).toEqual([['donor', 'frames', 'texture'], { frame: 5, dx: 88, dy: 0 }]);
  settings.sources = ['frames'];
  fillFromDonor(doc, 'r', sight(0));
  expect([settings.sources, settings.donor?.dx]).toEqual([['donor', 'frames'], 88]);
});
