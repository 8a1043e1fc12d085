import { describe, expect, it } from '@jest/globals';
import { marksOf, ranked, toRemoval, type ShotDocument } from '../../contract/document.ts';
import { shotDocument } from '../../contract/documentSchema.ts';
import { shapesJson, shapesSvg } from '../../core/shapes/shapeTable.ts';
import { trackCsv, trackJson, type TrackRow } from '../../core/tracking/trackTable.ts';
import { ellipsePoints, rectanglePoints } from '../../core/shapes/shape.ts';
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

  it('shapes come back from SVG as they were drawn, key by key', () => {
    const doc = empty();
    const id = addRemoval(doc);
    const removal = doc.removals[id];
    const shapeId = addShape(removal, 'ellipse', 2, ellipsePoints(40, 30, 12, 9));
    setKey(removal.shapes[shapeId], 8, ellipsePoints(50, 31, 10, 9));
    removal.shapes[shapeId].keys[2].ease = 'smooth';
    Object.assign(removal.shapes[shapeId], { operation: 'subtract', visible: { from: 2, to: 8 } });
    addShape(removal, 'rectangle', 0, rectanglePoints(1, 2, 30, 40));
    const other = empty();
    const found = bringIn(other, shapesSvg(toRemoval(id, marksOf(doc, id)!), 320, 180), 'marks.svg');
    const copies = ranked(other.removals[(found as { removalId: string }).removalId].shapes).map(([, s]) => s);
    expect(copies.map((s) => [s.operation, s.visible, Object.keys(s.keys)])).toEqual([
      ['subtract', { from: 2, to: 8 }, ['2', '8']],
      ['add', undefined, ['0']],
    ]);
    expect(copies[0].keys[2].ease).toBe('smooth');
    copies[0].keys[8].points.forEach((p, i) => {
      const q = removal.shapes[shapeId].keys[8].points[i];
      for (const k of ['x', 'y', 'inX', 'inY', 'outX', 'outY'] as const) expect(p[k]).toBeCloseTo(q[k], 6);
    });
    expect(shotDocument.validate(other).error).toBeUndefined();
  });

  it('paths of any SVG become shapes, with their transforms, from the corner of the first pixel', () => {
    const doc = empty();
    const svg = `<?xml version="1.0"?><svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 50">
      <g transform="translate(10 0)"><path id="sign" d="M0 0h20v10H0z m30 0 l10 0 l0 10 z"/></g>
      <path d="M5 5q10 0 10 10t-10 10z"/></svg>`;
    const found = bringIn(doc, svg, 'sign.svg');
    const removal = doc.removals[(found as { removalId: string }).removalId];
    const shapes = ranked(removal.shapes).map(([, s]) => s);
    expect([removal.name, ...shapes.map((s) => s.name)]).toEqual(['sign', 'sign', 'sign 2', 'Shape 2']);
    const places = (n: number): number[][] => shapes[n].keys[0].points.map((p) => [p.x, p.y]);
    expect(places(0)).toEqual([
      [9.5, -0.5],
      [29.5, -0.5],
      [29.5, 9.5],
      [9.5, 9.5],
    ]);
    expect(places(1)).toEqual([
      [39.5, -0.5],
      [49.5, -0.5],
      [49.5, 9.5],
    ]);
    const [, middle] = shapes[2].keys[0].points;
    expect([middle.x, middle.y, middle.inY, middle.outY]).toEqual([
      14.5,
      14.5,
      expect.closeTo(-20 / 3, 9),
      expect.closeTo(20 / 3, 9),
    ]);
    for (const text of ['<svg></svg>', '<svg', '<html><body/></html>', '<svg><path d="M0 0 Q"/></svg>']) {
      expect(() => bringIn(empty(), text, 'x.svg')).toThrow(expect.objectContaining({ code: 'shape_file' }));
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
