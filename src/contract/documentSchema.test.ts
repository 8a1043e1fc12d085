import { describe, expect, it } from '@jest/globals';
import { newRemoval, type RemovalNode, type ShapeNode, type ShotDocument, type TrackNode } from './document.ts';
import { pointed, shotDocument, takeSettings, trimFile } from './documentSchema.ts';

const [REMOVAL, SHAPE, TRACK] = [1, 2, 3].map((n) => `0000000${n}-0000-4000-8000-000000000000`);
const point = { x: 1, y: 2, inX: 0, inY: 0, outX: 0, outY: 0 };
const key = { ease: 'smooth' as const, points: [point, { ...point, x: 9 }] };
const shape: ShapeNode = { name: 'Coat', rank: 1, kind: 'path', operation: 'add', keys: { 12: key } };
const track: TrackNode = {
  name: 'Wall',
  rank: 1,
  parts: ['shift', 'scale'],
  anchors: { 12: [0, 0, 9, 0, 9, 9, 0, 9] },
  frames: { 13: [0.9, 0, 0, 9, 0, 9, 9, 0, 9] },
  losses: [{ from: 20, to: 24, reason: 'hidden' }],
};

const document = (change: { shape?: object; removal?: object; track?: object } = {}): ShotDocument => ({
  removals: {
    [REMOVAL]: {
      ...newRemoval({}, 'Passer-by'),
      shapes: { [SHAPE]: { ...shape, ...change.shape } },
      ...change.removal,
    } as RemovalNode,
  },
  tracks: { [TRACK]: { ...track, ...change.track } },
});

const fault = (value: unknown): string | undefined => shotDocument.validate(value).error?.message;

describe('a document', () => {
  it('with all kinds of things in it is taken as it is', () => {
    const whole = document({
      shape: {
        rides: { track: TRACK, home: 12 },
        visible: { from: 3, to: 3 },
        variant: { of: SHAPE, off: true },
        outline: { anchors: { 12: { add: [[4, 5]], remove: [], box: [0, 0, 5, 5] } }, lost: [] },
      },
      removal: {
        trim: {
          5: { ease: 'hold', ...{ exposure: 1, warmth: 0, tint: 0, saturation: 100, opacity: 100, dx: 0, dy: 0 } },
        },
      },
    });
    expect(shotDocument.validate(whole)).toEqual({ value: whole });
  });

  it.each([
    ['a shape without a key', { shape: { keys: {} } }, 'keys'],
    ['a key of one point', { shape: { keys: { 12: { ...key, points: [point] } } } }, 'points'],
    [
      'a number that is written as text',
      { shape: { keys: { 12: { ...key, points: [{ ...point, x: '1' }, point] } } } },
      'x',
    ],
    ['a number that is none', { shape: { keys: { 12: { ...key, points: [{ ...point, x: NaN }, point] } } } }, 'x'],
    ['a frame number with a leading zero', { shape: { keys: { '012': key } } }, '012'],
    ['a negative frame', { shape: { keys: { '-1': key } } }, '-1'],
    ['an unknown kind of easing', { shape: { keys: { 12: { ...key, ease: 'bounce' } } } }, 'ease'],
    ['a range that ends before it starts', { shape: { visible: { from: 9, to: 8 } } }, 'to'],
    ['a matte that is no matte’s shape', { shape: { matte: { file: SHAPE, count: 1, start: 0, pace: 1 } } }, 'matte'],
    ['a matte’s shape without its matte', { shape: { kind: 'matte', keys: {} } }, 'matte'],
    ['a field that nobody knows', { shape: { colour: 'red' } }, 'colour'],
    ['a feather that is less than none', { removal: { featherOut: -1 } }, 'featherOut'],
    ['a name that is empty', { removal: { name: '' } }, 'name'],
    [
      'settings with a source twice',
      { removal: { settings: { reach: 9, light: 100, grain: true, sources: ['frames', 'frames'] } } },
      'sources',
    ],
    ['a track without an anchor', { track: { anchors: {} } }, 'anchors'],
    ['a region of three corners', { track: { anchors: { 12: [0, 0, 9, 0, 9, 9] } } }, '12'],
    ['a confidence above one', { track: { frames: { 13: [1.1, 0, 0, 9, 0, 9, 9, 0, 9] } } }, '13'],
    ['a reason that is none', { track: { losses: [{ from: 1, to: 2, reason: 'bored' }] } }, 'reason'],
    ['a model without a part', { track: { parts: [] } }, 'parts'],
  ])('%s is refused, and it is said where', (_, change, where) => {
    expect(fault(document(change))).toContain(where);
  });

  it('ids are made by a machine: no path leads out of one', () => {
    expect(fault({ removals: { '../../etc': newRemoval({}, 'x') }, tracks: {} })).toContain('../../etc');
    expect(fault({ removals: {}, tracks: {}, extra: 1 })).toContain('extra');
    expect(fault(null)).toBeDefined();
  });
});

describe('settings of a take', () => {
  const usual = { reach: 300, light: 100, grain: true };

  it('need all of the three, sources are a choice', () => {
    expect(takeSettings.validate(usual).error).toBeUndefined();
    expect(takeSettings.validate({ ...usual, sources: ['plate', 'frames'] }).error).toBeUndefined();
    for (const field of Object.keys(usual)) {
      expect(takeSettings.validate({ ...usual, [field]: undefined }).error?.message).toContain(field);
    }
  });

  it.each([
    [{ reach: 0 }, 'reach'],
    [{ reach: 2.5 }, 'reach'],
    [{ light: 101 }, 'light'],
    [{ sources: [] }, 'sources'],
    [{ sources: ['magic'] }, 'sources'],
    [{ donor: { frame: 1, dx: 4 } }, 'dy'],
    [{ plate: { file: 'plate.png', frame: 0, name: 'Plate' } }, 'file'],
  ])('%j is refused', (change, where) => {
    expect(takeSettings.validate({ ...usual, ...change }).error?.message).toContain(where);
  });
});

it('what was pointed at may be nothing yet, but a box has a size', () => {
  expect(pointed.validate({ add: [], remove: [] }).error).toBeUndefined();
  expect(pointed.validate({ add: [], remove: [], box: [0, 0, 0, 5] }).error?.message).toContain('box');
  expect(pointed.validate({ add: [[1]], remove: [] }).error?.message).toContain('add');
});

it('a trim of a file that leaves something out changes nothing there', () => {
  const { value, error } = trimFile.validate({ 4: { exposure: 0.5 } });
  expect(error).toBeUndefined();
  expect(value).toEqual({
    4: { ease: 'linear', exposure: 0.5, warmth: 0, tint: 0, saturation: 100, opacity: 100, dx: 0, dy: 0 },
  });
  expect(trimFile.validate({ 4: { exposure: 5 } }).error?.message).toContain('exposure');
});
