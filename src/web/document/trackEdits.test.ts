import { describe, expect, it } from '@jest/globals';
import { toShape, type ShotDocument, type TrackEntry } from '../../contract/document.ts';
import { shotDocument } from '../../contract/documentSchema.ts';
import { pathAt } from '../../core/shapes/interpolate.ts';
import { rectanglePoints } from '../../core/shapes/shape.ts';
import { addRemoval, addShape, setKey } from './edits.ts';
import {
  addTrack,
  deleteSpan,
  forgetLost,
  holdSpan,
  letGo,
  removeAnchor,
  removeTrack,
  rideOn,
  setAnchor,
  setParts,
  smoothSpan,
} from './trackEdits.ts';

/** A square of 10 px whose corner is at (x, y). */
const square = (x: number, y: number): number[] => [x, y, x + 10, y, x + 10, y + 10, x, y + 10];

function made() {
  const doc: ShotDocument = { removals: {}, tracks: {} };
  const trackId = addTrack(doc, 5, square(50, 50));
  const track = doc.tracks[trackId];
  // It goes 2 px right and 1 px down a frame.
  for (let t = 0; t <= 10; t++) track.frames[t] = [0.9, ...square(50 + 2 * (t - 5), 50 + t - 5)] as TrackEntry;
  const removalId = addRemoval(doc);
  const shapeId = addShape(doc.removals[removalId], 'rectangle', 5, rectanglePoints(40, 40, 70, 70));
  const shape = doc.removals[removalId].shapes[shapeId];
  const corner = (frame: number): [number, number] => {
    const [p] = pathAt(toShape(shapeId, shape, 0, doc.tracks), frame)!;
    return [Math.round(p.x * 1e6) / 1e6, Math.round(p.y * 1e6) / 1e6];
  };
  return { doc, trackId, track, shape, corner };
}

describe('riding on a track', () => {
  it('moves a shape as its region moves, from the frame at which it was let on', () => {
    const { doc, trackId, shape, corner } = made();
    rideOn(doc, shape, trackId, 5);
    expect([corner(5), corner(8), corner(0)]).toEqual([
      [40, 40],
      [46, 43],
      [30, 35],
    ]);
  });

  it('keys lie on top of the ride, in px of the home frame', () => {
    const { doc, trackId, shape, corner } = made();
    rideOn(doc, shape, trackId, 5);
    setKey(shape, 10, rectanglePoints(50, 40, 80, 70));
    expect([corner(5), corner(10)]).toEqual([
      [40, 40],
      [60, 45],
    ]);
  });

  it('grows and turns with the region', () => {
    const { doc, trackId, track, shape, corner } = made();
    rideOn(doc, shape, trackId, 5);
    track.frames[6] = [1, 50, 50, 70, 50, 70, 70, 50, 70];
    expect(corner(6)).toEqual([30, 30]);
    track.frames[7] = [1, 60, 50, 60, 60, 50, 60, 50, 50];
    expect(corner(7)).toEqual([70, 40]);
  });

  it('between frames that are known the region goes straight, outside it stands', () => {
    const { doc, trackId, track, shape, corner } = made();
    rideOn(doc, shape, trackId, 5);
    for (const t of [6, 7, 8, 9]) delete track.frames[t];
    expect([corner(8), corner(400)]).toEqual([
      [46, 43],
      [50, 45],
    ]);
  });

  it('let go, a shape stays where it was seen', () => {
    const { doc, trackId, shape, corner } = made();
    rideOn(doc, shape, trackId, 5);
    letGo(doc, shape, 8);
    expect([corner(0), corner(8), shape.rides]).toEqual([[46, 43], [46, 43], undefined]);
  });

  it('a track that is deleted lets go of all that rode on it', () => {
    const { doc, trackId, shape, corner } = made();
    rideOn(doc, shape, trackId, 5);
    removeTrack(doc, trackId, 7);
    expect([doc.tracks, shape.rides, corner(7)]).toEqual([{}, undefined, [44, 42]]);
  });
});

describe('anchors', () => {
  it('setting one forgets what lies between the anchors around it, and nothing else', () => {
    const { track } = made();
    setAnchor(track, 8, square(0, 0));
    track.frames = Object.fromEntries([...Array(11).keys()].map((t) => [t, [0.9, ...square(t, t)]]));
    track.losses = [
      { from: 1, to: 2, reason: 'hidden' },
      { from: 6, to: 7, reason: 'hidden' },
    ];
    setAnchor(track, 7, square(1, 1));
    expect(Object.keys(track.frames).map(Number)).toEqual([0, 1, 2, 3, 4, 5, 8, 9, 10]);
    expect(track.losses.map((l) => l.from)).toEqual([1]);
  });

  it('the last one stays; taking one away forgets both sides of it', () => {
    const { track } = made();
    removeAnchor(track, 5);
    expect(track.anchors[5]).toBeDefined();
    setAnchor(track, 8, square(0, 0));
    track.frames = { 4: [1, ...square(0, 0)], 6: [1, ...square(0, 0)], 9: [1, ...square(0, 0)] };
    removeAnchor(track, 8);
    expect([Object.keys(track.anchors), Object.keys(track.frames)]).toEqual([['5'], ['4']]);
  });

  it('another model forgets everything but the anchors', () => {
    const { track } = made();
    setParts(track, ['shift']);
    expect([track.parts, track.frames, Object.keys(track.anchors)]).toEqual([['shift'], {}, ['5']]);
  });
});

describe('a stretch of a track', () => {
  const left = (frames: Record<string, TrackEntry>): (number | undefined)[] =>
    [2, 3, 4, 5, 6, 7, 8].map((f) => (frames[f] as TrackEntry | undefined)?.[1]);

  it('is smoothed: a weak frame that jumps comes back, a missing one is drawn in, anchors and what lies outside stay', () => {
    const { doc, track } = made();
    track.frames[3] = [0.1, ...square(80, 48)];
    delete track.frames[7];
    smoothSpan(track, 2, 8);
    left(track.frames).forEach((x, i) => expect(Math.abs(x! - (44 + 2 * i))).toBeLessThan(0.3));
    expect([track.frames[7][0], track.anchors[5], track.frames[10]]).toEqual([
      0,
      square(50, 50),
      [0.9, ...square(60, 55)],
    ]);
    expect(shotDocument.validate(doc).error).toBeUndefined();
  });

  it('is held as it is in its first frame, and its ends are anchors', () => {
    const { track } = made();
    track.losses = [{ from: 4, to: 9, reason: 'hidden' }];
    holdSpan(track, 6, 8);
    expect(left(track.frames)).toEqual([44, 46, 48, 50, 52, 52, 52]);
    expect(Object.keys(track.anchors)).toEqual(['5', '6', '8']);
    expect(track.losses.map(({ from, to }) => [from, to])).toEqual([
      [4, 5],
      [9, 9],
    ]);
  });

  it('is deleted with its anchors, but a track keeps one', () => {
    const { track } = made();
    setAnchor(track, 2, square(1, 1));
    deleteSpan(track, 4, 6);
    expect([Object.keys(track.anchors), 5 in track.frames]).toEqual([['2'], false]);
    deleteSpan(track, 0, 10);
    expect([Object.keys(track.anchors), Object.keys(track.frames)]).toEqual([['2'], ['2']]);
  });

  it('forgets the guesses alone where the region was lost, in the frames that were asked for', () => {
    const { track } = made();
    track.losses = [
      { from: 1, to: 3, reason: 'hidden' },
      { from: 7, to: 9, reason: 'too_small' },
    ];
    forgetLost(track, 2, 8);
    expect(Object.keys(track.frames)).toEqual(['0', '1', '4', '5', '6', '9', '10']);
    expect(track.losses).toEqual([
      { from: 1, to: 1, reason: 'hidden' },
      { from: 9, to: 9, reason: 'too_small' },
    ]);
    expect(Object.keys(track.anchors)).toEqual(['5']);
  });
});
