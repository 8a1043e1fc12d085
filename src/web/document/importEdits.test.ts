import { describe, expect, it } from '@jest/globals';
import { marksOf, toRemoval, type ShotDocument } from '../../contract/document.ts';
import { shapesJson } from '../../core/shapes/shapeTable.ts';
import { trackCsv, trackJson, type TrackRow } from '../../core/tracking/trackTable.ts';
import { rectanglePoints } from '../../core/shapes/shape.ts';
import { addRemoval, addShape, setKey } from './edits.ts';
import { bringIn } from './importEdits.ts';

const empty = (): ShotDocument => ({ removals: {}, tracks: {} });
const rows: TrackRow[] = [3, 4, 5, 6].map((frame) => ({
  frame,
  confidence: frame === 5 ? 0.1 : (35 + frame) / 50,
  quad: [0, 1, 2, 3].map((k) => ({ x: frame + k, y: 2 * k })) as unknown as TrackRow['quad'],
  ...(frame === 5 && { loss: 'hidden' as const }),
}));

describe('files that come in', () => {
  it('a track is what was written, held at its surest frame, whether CSV or JSON', () => {
    for (const text of [trackCsv(rows), trackJson(rows)]) {
      const doc = empty();
      const found = bringIn(doc, text, 'wall.csv');
      const [[id, track]] = Object.entries(doc.tracks);
      expect([found, track.name]).toEqual([{ kind: 'track', trackId: id }, 'wall']);
      expect(Object.keys(track.anchors)).toEqual(['6']);
      expect(track.frames[4]).toEqual([0.78, 4, 0, 5, 2, 6, 4, 7, 6]);
      expect(track.losses).toEqual(text.startsWith('{') ? [{ from: 5, to: 5, reason: 'hidden' }] : []);
    }
  });

  it('shapes become a removal that draws what the one that was written draws', () => {
    const doc = empty();
    const id = addRemoval(doc);
    const shapeId = addShape(doc.removals[id], 'rectangle', 2, rectanglePoints(1, 2, 30, 40));
    setKey(doc.removals[id].shapes[shapeId], 8, rectanglePoints(5, 2, 34, 40));
    Object.assign(doc.removals[id], { name: 'Bin', grow: 3, featherOut: 4 });
    doc.removals[id].shapes[shapeId].visible = { from: 1, to: 9 };
    const text = shapesJson(toRemoval(id, marksOf(doc, id)!));
    const other = empty();
    const found = bringIn(other, text, 'bin.json');
    const copy = other.removals[(found as { removalId: string }).removalId];
    expect(shapesJson(toRemoval('x', { ...copy, tracks: {} }))).toBe(text);
  });

  it('what is neither changes nothing and says what is wrong', () => {
    const wrong: [string, string][] = [
      ['hello', 'track_file'],
      ['{"frames": 3}', 'track_file'],
      ['{"frames": [{"frame": 1, "corners": [[1, 2]]}]}', 'track_file'],
      ['{"frames": []}', 'track_file'],
      ['{"frames"', 'track_file'],
      ['{"shapes": []}', 'shape_file'],
      ['{"shapes": [{"keys": [{"frame": 1, "points": [[1, 2]]}]}]}', 'shape_file'],
      ['{"shapes": [{"keys": [{"frame": 1, "points": [[1, 2], [1e9, 3]]}]}]}', 'shape_file'],
    ];
    for (const [text, code] of wrong) {
      const doc = empty();
      expect(() => bringIn(doc, text, 'x.json')).toThrow(expect.objectContaining({ code }));
      expect(doc).toEqual(empty());
    }
  });
});
