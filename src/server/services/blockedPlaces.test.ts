import { describe, expect, it } from '@jest/globals';
import { SETTINGS_DEFAULTS, type RemovalNode, type ShapeNode, type ShotDocument } from '../../contract/document.ts';
import { rectanglePoints } from '../../core/shapes/shape.ts';
import { blockedFor } from './blockedPlaces.ts';

const box = (x: number, operation: ShapeNode['operation'], more: Partial<ShapeNode> = {}): ShapeNode => ({
  name: 'Box',
  rank: 1,
  kind: 'rectangle',
  operation,
  keys: { 0: { ease: 'linear', points: rectanglePoints(x, 0, x + 20, 20) } },
  ...more,
});
const removal = (...shapes: ShapeNode[]): RemovalNode => ({
  name: 'Thing',
  rank: 1,
  hidden: false,
  grow: 0,
  featherIn: 0,
  featherOut: 0,
  settings: SETTINGS_DEFAULTS,
  shapes: Object.fromEntries(shapes.map((s, i) => [`s${i}`, { ...s, rank: i }])),
});
/** A track whose region lies between 100 and 110. */
const documentOf = (...removals: RemovalNode[]): ShotDocument => ({
  removals: Object.fromEntries(removals.map((r, i) => [`r${i}`, r])),
  tracks: {
    t: {
      name: 'Track',
      rank: 1,
      parts: ['shift'],
      anchors: { 0: [100, 5, 110, 5, 110, 15, 100, 15] },
      frames: {},
      losses: [],
    },
  },
});

describe('blockedFor', () => {
  it('keeps a track off what other removals take away, and off what stays in front of anything', () => {
    const blocked = blockedFor(documentOf(removal(box(0, 'add'), box(200, 'hold'))), 't')!;
    expect([blocked(0, 10, 10), blocked(9, 210, 10), blocked(0, 105, 10)]).toEqual([true, true, false]);
  });

  it('lets a track hold on to what it follows, by its region or by what rides on it', () => {
    expect(blockedFor(documentOf(removal(box(95, 'add'))), 't')).toBeUndefined();
    const riding = removal(box(300, 'add', { rides: { track: 't', home: 0 } }), box(96, 'hold'));
    const blocked = blockedFor(documentOf(riding), 't')!;
    expect([blocked(0, 310, 10), blocked(0, 105, 10)]).toEqual([false, true]);
  });

  it('lets a track hold on to what stays in front, if it is that what is followed', () => {
    const riding = removal(box(300, 'add'), box(95, 'hold', { rides: { track: 't', home: 0 } }));
    expect(blockedFor(documentOf(riding), 't')).toBeUndefined();
    const others = removal(box(400, 'hold'));
    const blocked = blockedFor(documentOf(riding, others), 't')!;
    expect([blocked(0, 105, 10), blocked(0, 310, 10), blocked(0, 410, 10)]).toEqual([false, false, true]);
  });

  it('takes what stays in front for what is followed where the region was set on it, if nothing rides', () => {
    const inFront = documentOf(removal(box(300, 'add'), box(95, 'hold')));
    expect(blockedFor(inFront, 't')).toBeUndefined();
    // Set once more beside it: the region is no part of it, which has come before it.
    inFront.tracks.t.anchors[9] = [300, 5, 310, 5, 310, 15, 300, 15];
    expect(blockedFor(inFront, 't')!(0, 105, 10)).toBe(true);
  });

  it('goes by the frame, and by what is cut out again', () => {
    const passing = box(0, 'add', {
      keys: {
        0: { ease: 'linear', points: rectanglePoints(0, 0, 20, 20) },
        10: { ease: 'linear', points: rectanglePoints(40, 0, 60, 20) },
      },
    });
    const cut = box(5, 'subtract', { visible: { from: 0, to: 0 } });
    const blocked = blockedFor(documentOf(removal(passing, cut)), 't')!;
    expect([blocked(0, 2, 10), blocked(0, 12, 10), blocked(10, 50, 10), blocked(10, 2, 10)]).toEqual([
      true,
      false,
      true,
      false,
    ]);
  });

  it('knows mattes that were brought in, where they lie in time', () => {
    const matte = { file: 'm', count: 2, start: 7, pace: 1 };
    const brought: ShapeNode = { name: 'Matte', rank: 1, kind: 'matte', operation: 'add', matte, keys: {} };
    const rasters = () => (frame: number) =>
      frame === 1 ? { rect: { x: 10, y: 10, width: 2, height: 1 }, values: Uint8Array.of(255, 90) } : undefined;
    const blocked = blockedFor(documentOf(removal(brought)), 't', rasters)!;
    expect([blocked(8, 10, 10), blocked(8, 11, 10), blocked(8, 10, 11), blocked(7, 10, 10)]).toEqual([
      true,
      false,
      false,
      false,
    ]);
  });

  it('has nothing to say where nothing else is drawn', () => {
    expect(blockedFor(documentOf(), 't')).toBeUndefined();
  });
});
