import { describe, expect, it } from '@jest/globals';
import {
  cornersOf,
  counting,
  findShape,
  marksOf,
  marksText,
  newRemoval,
  quadOf,
  revealText,
  toRemoval,
  toRide,
  type RemovalNode,
  type ShapeNode,
  type ShotDocument,
} from './document.ts';
import { trimKeys, trimsOf, trimsText } from './trim.ts';

const point = (x: number): ShapeNode['keys'][string]['points'][number] => ({
  x,
  y: 0,
  inX: 0,
  inY: 0,
  outX: 0,
  outY: 0,
});
const key = (x: number): ShapeNode['keys'][string] => ({ ease: 'linear', points: [point(x), point(x + 5)] });
const shape = (rank: number, more: Partial<ShapeNode> = {}): ShapeNode => ({
  ...{ name: `Shape ${rank}`, rank, kind: 'path', operation: 'add', keys: { 30: key(3), 4: key(1) } },
  ...more,
});
const removal = (shapes: RemovalNode['shapes'], more: Partial<RemovalNode> = {}): RemovalNode => ({
  ...newRemoval({}, 'Cart'),
  shapes,
  ...more,
});
const region = [0, 0, 10, 0, 10, 10, 0, 10];
const shot: ShotDocument = {
  removals: { one: removal({ b: shape(2, { rides: { track: 'wall', home: 4 } }), a: shape(1) }), two: removal({}) },
  tracks: {
    wall: {
      name: 'Wall',
      rank: 1,
      parts: ['shift'],
      anchors: { 4: region },
      frames: { 5: [0.8, ...region.map((v) => v + 1)] },
      losses: [],
    },
    unused: { name: 'Unused', rank: 2, parts: ['shift'], anchors: { 4: region }, frames: {}, losses: [] },
  },
};

describe('marks of a removal', () => {
  it('bring along the tracks that its shapes ride on, and no others', () => {
    expect(Object.keys(marksOf(shot, 'one')!.tracks)).toEqual(['wall']);
    expect(marksOf(shot, 'gone')).toBeUndefined();
  });

  it('a shape whose track is gone is as it was drawn', () => {
    const marks = marksOf({ ...shot, tracks: {} }, 'one')!;
    expect(toRemoval('one', marks).shapes.every((s) => s.ride === undefined)).toBe(true);
  });

  it('come to the core in order, with frames counted from the shot’s first', () => {
    const { shapes } = toRemoval('one', marksOf(shot, 'one')!, 4);
    expect(shapes.map(({ id }) => id)).toEqual(['a', 'b']);
    expect(shapes[0].keys.map(({ frame }) => frame)).toEqual([0, 26]);
    expect(shapes[1].ride).toEqual({
      home: 0,
      quads: [
        { frame: 0, quad: quadOf(region) },
        { frame: 1, quad: quadOf(region.map((v) => v + 1)) },
      ],
    });
  });

  it('an anchor counts before what was followed in the same frame', () => {
    const ride = toRide({ anchors: { 5: region }, frames: { 5: [0.4, ...region.map((v) => v + 7)] } }, 5);
    expect(ride.quads.map(({ quad }) => quad)).toEqual([quadOf(region)]);
    expect(cornersOf(quadOf(region))).toEqual(region);
  });

  it('leave out a variant that is off', () => {
    const both = { tight: shape(1, { variant: { of: 'loose', off: true } }), loose: shape(2) };
    expect(counting({ shapes: both }).map(([id]) => id)).toEqual(['loose']);
  });
});

describe('texts that tell whether marks have changed', () => {
  const text = (node: RemovalNode): string => marksText({ ...node, tracks: {} });
  const plain = removal({ a: shape(1) });

  it('are the same whatever the names, the order of writing and what is hidden', () => {
    const { 30: late, 4: early } = shape(1).keys;
    const same = removal(
      { z: shape(7, { name: 'Other', keys: { 4: early, 30: late } }) },
      { name: 'Barrow', hidden: true },
    );
    expect(text(same)).toBe(text(plain));
  });

  it.each([
    ['a point', removal({ a: shape(1, { keys: { 30: key(3.5), 4: key(1) } }) })],
    ['a key’s frame', removal({ a: shape(1, { keys: { 31: key(3), 4: key(1) } }) })],
    ['what a shape does', removal({ a: shape(1, { operation: 'subtract' }) })],
    ['when it is there', removal({ a: shape(1, { visible: { from: 0, to: 9 } }) })],
    ['the growth', removal({ a: shape(1) }, { grow: 1 })],
  ])('tell another when it is changed: %s', (_, changed) => {
    expect(text(changed)).not.toBe(text(plain));
  });

  it('count the edge of holdouts once there is one', () => {
    const held = (edge: Partial<RemovalNode>): string => text(removal({ a: shape(1, { operation: 'hold' }) }, edge));
    expect(text({ ...plain, holdFeather: 9, holdGrow: 4 })).toBe(text(plain));
    expect(held({ holdFeather: 2 })).not.toBe(held({ holdFeather: 3 }));
    expect(held({ holdGrow: 2 })).not.toBe(held({}));
    // Takes of before it could be grown are of the same marks.
    expect(held({ holdGrow: 0 })).toBe(held({}));
  });

  it('of a reveal count sources only if they are not the usual ones', () => {
    const usual = { reach: 300, light: 100, grain: true };
    expect(revealText({ ...usual, light: 0, grain: false })).toBe(revealText(usual));
    expect(revealText({ ...usual, reach: 50 })).not.toBe(revealText(usual));
    expect(revealText({ ...usual, sources: ['plate'] })).not.toBe(revealText(usual));
  });
});

describe('a document’s small things', () => {
  it('a new removal comes last', () => {
    expect(newRemoval({ x: removal({}, { rank: 4 }), y: removal({}, { rank: 2 }) }, 'New').rank).toBe(5);
    expect(newRemoval({}, 'First').rank).toBe(1);
  });

  it('a shape is found by its id alone', () => {
    expect(findShape(shot, 'b')).toMatchObject({ removalId: 'one', shape: { name: 'Shape 2' } });
    expect(findShape(shot, 'c')).toBeUndefined();
  });
});

describe('hand trims', () => {
  const none = {
    ease: 'linear' as const,
    exposure: 0,
    warmth: 0,
    tint: 0,
    saturation: 100,
    opacity: 100,
    dx: 0,
    dy: 0,
  };

  it('come in the order of their frames, counted from the shot’s first', () => {
    const keys = trimKeys({ 12: { ...none, exposure: 1 }, 4: none }, 4);
    expect(keys.map(({ frame, exposure }) => [frame, exposure])).toEqual([
      [0, 0],
      [8, 1],
    ]);
    expect(trimKeys(undefined)).toEqual([]);
  });

  it('removals without one are left out, and no trim is no text', () => {
    const trimmed: ShotDocument = {
      removals: { one: removal({}, { trim: { 4: none } }), two: removal({}, { trim: {} }), three: removal({}) },
      tracks: {},
    };
    expect(Object.keys(trimsOf(trimmed))).toEqual(['one']);
    expect(trimsText(trimsOf(trimmed, ['two', 'three', 'gone']))).toBe('');
    expect(trimsText(trimsOf(trimmed))).toContain('"one"');
  });
});
