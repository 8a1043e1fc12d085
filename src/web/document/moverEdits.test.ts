import { describe, expect, it } from '@jest/globals';
import type { ShotDocument } from '../../contract/document.ts';
import { holdOut, inEdits, takeAway, takeAwayToo, type NamedOutlines } from './moverEdits.ts';

const nothing = (): ShotDocument => ({ removals: {}, tracks: {} });

/** A square of a mover on some frames, moving by 2 px a frame. */
const mover = (name: string, first: number, last: number): NamedOutlines => ({
  name,
  outlines: Object.fromEntries(
    Array.from({ length: last - first + 1 }, (_, k) => {
      const x = 10 + 2 * k;
      return [first + k, [x, 5, x + 4, 5, x + 4, 9, x, 9]];
    }),
  ),
});

describe('movers as removals', () => {
  it('go away together in one removal, each as a shape that is seen on its own frames', () => {
    const draft = nothing();
    const id = takeAway(draft, 'All that moves', [mover('Mover 1', 0, 9), mover('Mover 2', 4, 6)], true);
    const removal = draft.removals[id];
    expect(removal).toMatchObject({ name: 'All that moves', grow: 4 });
    expect(removal.shadowStays).toBeUndefined();
    const shapes = Object.values(removal.shapes);
    expect(shapes.map((s) => [s.name, s.visible])).toEqual([
      ['Mover 1', { from: 0, to: 9 }],
      ['Mover 2', { from: 4, to: 6 }],
    ]);
    expect(Object.keys(shapes[1].keys!)).toEqual(['4', '5', '6']);
    takeAwayToo(draft, id, [mover('Mover 3', 2, 3)]);
    expect(Object.values(removal.shapes)).toHaveLength(3);
  });

  it('leave their shadows where these stay, and hold what is in front', () => {
    const draft = nothing();
    const id = takeAway(draft, 'Mover 1', [mover('Mover 1', 0, 3)], false);
    expect(draft.removals[id].shadowStays).toBe(true);
    const shape = holdOut(draft, id, mover('Mover 2', 1, 2).outlines, 'Mover 2');
    expect(draft.removals[id].shapes[shape]).toMatchObject({ operation: 'hold', name: 'Mover 2' });
  });

  it('are sent in as few edits as fit, in their order, and one that is too large alone', () => {
    // 10 000 frames of four points are 2.8 MB.
    const [small, large] = [mover('small', 0, 999), mover('large', 0, 9999)];
    expect(inEdits([])).toEqual([]);
    expect(inEdits([small, small, small])).toEqual([[small, small, small]]);
    expect(inEdits([small, large, small])).toEqual([[small], [large], [small]]);
    const sent = JSON.stringify(
      (() => {
        const draft = nothing();
        takeAway(draft, 'x', [small], true);
        return draft;
      })(),
    ).length;
    // What is reckoned for a point is no less than what it takes.
    expect(sent).toBeLessThan(1000 * 4 * 70);
  });
});
