import { describe, expect, it } from '@jest/globals';
import type { RemovalNode, ShotDocument } from '../../../contract/document.ts';
import { rectanglePoints } from '../../../core/shapes/shape.ts';
import { addRemoval, addShape } from '../../document/edits.ts';
import { TRIM_LANE } from '../../document/keyGroups.ts';
import { setTrim } from '../../document/trimEdits.ts';
import { stripLanes } from './stripLanes.ts';

function start(): { removal: RemovalNode; a: string; b: string } {
  const doc: ShotDocument = { removals: {}, tracks: {} };
  const removal = doc.removals[addRemoval(doc)];
  const box = rectanglePoints(0, 0, 10, 10);
  return { removal, a: addShape(removal, 'ellipse', 4, box), b: addShape(removal, 'rectangle', 9, box) };
}

describe('lanes of the strip', () => {
  it('are the shapes in their order, with where they count', () => {
    const { removal, a, b } = start();
    removal.shapes[a].rank = 5;
    removal.shapes[b].visible = { from: 3, to: 12 };
    expect(stripLanes(removal).map(({ id, kind, visible, keys }) => [id, kind, visible, Object.keys(keys)])).toEqual([
      [b, 'shape', { from: 3, to: 12 }, ['9']],
      [a, 'shape', undefined, ['4']],
    ]);
  });

  it('end with the trim, if there is one', () => {
    const { removal } = start();
    setTrim(removal, 7, 'warmth', 12);
    const lanes = stripLanes(removal);
    expect(lanes).toHaveLength(3);
    expect(lanes[2]).toMatchObject({ id: TRIM_LANE, kind: 'trim', name: 'Trim by hand', off: false });
    expect(Object.keys(lanes[2].keys)).toEqual(['7']);
  });

  it('show a matte over the frames that it has', () => {
    const { removal, a } = start();
    removal.shapes[a] = {
      ...removal.shapes[a],
      kind: 'matte',
      keys: {},
      matte: { file: 'f', name: 'm.mkv', count: 11, start: 5, pace: 0.5 },
    } as unknown as RemovalNode['shapes'][string];
    expect(stripLanes(removal)[0].visible).toEqual({ from: 5, to: 25 });
  });
});
