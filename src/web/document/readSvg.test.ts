import { describe, expect, it } from '@jest/globals';
import { readShapesSvg } from './readSvg.ts';

const svg = (inside: string, viewBox = '0 0 100 50'): string =>
  `<svg xmlns="http://www.w3.org/2000/svg" viewBox="${viewBox}">${inside}</svg>`;
const shapes = (inside: string, viewBox?: string) => readShapesSvg(svg(inside, viewBox), 'x').shapes;
const places = (inside: string, viewBox?: string): number[][] =>
  shapes(inside, viewBox)[0].keys[0].points.map(({ x, y }) => [x, y].map((v) => Math.round(v * 1000) / 1000));
const refused = expect.objectContaining({ code: 'shape_file' });

describe('paths of an SVG', () => {
  it('are counted from the middle of the first pixel', () => {
    expect(places('<path d="M10 10 H30 V30 H10 Z"/>')).toEqual([
      [9.5, 9.5],
      [29.5, 9.5],
      [29.5, 29.5],
      [9.5, 29.5],
    ]);
    expect(places('<path d="M110 210 h5 v5 z"/>', '100 200 10 10')[0]).toEqual([9.5, 9.5]);
    expect(places('<path d="M1 1 l5 0 l0 5 z"/>', 'none')[0]).toEqual([0.5, 0.5]);
  });

  it('that come back to their first point have it once, with both its handles', () => {
    const [shape] = shapes('<path d="M0 0 C0 10 10 10 10 0 C10 -10 0 -10 0 0 Z"/>');
    const { points } = shape.keys[0];
    expect(points).toHaveLength(2);
    expect(points[0]).toMatchObject({ x: -0.5, y: -0.5, inX: 0, inY: -10, outX: 0, outY: 10 });
    expect(points[1]).toMatchObject({ x: 9.5, inX: 0, inY: 10, outX: 0, outY: -10 });
  });

  it('keep the bend of a quadratic curve, and of a short one that goes on from it', () => {
    const [shape] = shapes('<path d="M0 0 Q15 0 15 15 T30 30 L0 30 Z"/>');
    const { points } = shape.keys[0];
    expect([points[0].outX, points[0].outY]).toEqual([10, 0]);
    expect([points[1].inX, points[1].inY]).toEqual([0, -10]);
    // The second control point mirrors the first.
    expect([points[1].outX, points[1].outY]).toEqual([0, 10]);
    expect(points[2]).toMatchObject({ x: 29.5, y: 29.5 });
  });

  it('keep arcs round', () => {
    const { points } = shapes('<path d="M0 10 A10 10 0 0 1 20 10 A10 10 0 0 1 0 10 Z"/>')[0].keys[0];
    for (const { x, y } of points) expect(Math.hypot(x - 9.5, y - 9.5)).toBeCloseTo(10, 3);
    expect(points.every((p) => Math.hypot(p.outX, p.outY) > 1)).toBe(true);
  });

  it('are moved, turned and scaled by all the groups that they lie in', () => {
    const inside =
      '<g transform="translate(10 0)"><g transform="scale(2)"><path transform="rotate(90)" d="M0 0 L5 0 L5 5 Z"/></g></g>';
    expect(places(inside)).toEqual([
      [9.5, -0.5],
      [9.5, 9.5],
      [-0.5, 9.5],
    ]);
  });

  it('with several outlines are several shapes; what is one point alone is none', () => {
    const found = shapes('<path id="ring" d="M0 0 h9 v9 z M20 20 h4 v4 z M50 50"/>');
    expect(found.map((s) => s.name)).toEqual(['ring', 'ring 2']);
    expect(found[1].keys[0].points[0]).toMatchObject({ x: 19.5, y: 19.5 });
  });

  it('are named by their ids, or in their order', () => {
    const names = shapes('<path d="M0 0 h9 v9 z"/><g><path id="roof" d="M0 0 h9 v9 z"/></g>').map((s) => s.name);
    expect(names).toEqual(['Shape 1', 'roof']);
  });
});

describe('groups as this program writes them', () => {
  const group = (attributes: string, paths: string): string =>
    svg(`<g data-operation="subtract" ${attributes}>${paths}</g>`);
  const box = (attributes: string): string => `<path ${attributes} d="M0 0 h9 v9 z"/>`;
  const one = (text: string) => readShapesSvg(text, 'x').shapes[0];

  it('are one shape with a key for each path, in the order of their frames', () => {
    const shape = one(
      group(
        'data-name="Gap" data-from="2" data-to="40"',
        box('data-frame="9" data-ease="hold"') + box('data-frame="3"'),
      ),
    );
    expect(shape).toMatchObject({ name: 'Gap', operation: 'subtract', visible: { from: 2, to: 40 } });
    expect(shape.keys.map(({ frame, ease }) => [frame, ease])).toEqual([
      [3, 'linear'],
      [9, 'hold'],
    ]);
  });

  it('fall back to what is usual where they say nothing sensible', () => {
    const shape = one(
      group('data-from="1.5" data-to="x"', box('data-frame="-4" data-ease="bounce"') + box('data-frame="2.5"')),
    );
    expect(shape.visible).toBeUndefined();
    expect(shape.keys.every((k) => k.frame === 0 && k.ease === 'linear')).toBe(true);
    expect(one(svg(`<g data-operation="explode">${box('')}</g>`)).operation).toBe('add');
  });
});

describe('what cannot be read', () => {
  it.each([
    ['is no SVG', '<html><body/></html>'],
    ['is no XML', '<svg'],
    ['is empty', ''],
    ['has no path', svg('<rect width="5" height="5"/>')],
    ['has a broken path', svg('<path d="M0 0 L5"/>')],
    ['has a path of one point', svg('<path d="M5 5"/>')],
    ['has a path without a shape', svg('<path/>')],
  ])('is refused: it %s', (_what, text) => {
    expect(() => readShapesSvg(text, 'x')).toThrow(refused);
  });

  it('does not grow: a document’s own entities stay what they are', () => {
    const bomb = `<!DOCTYPE svg [<!ENTITY a "M0 0 h9 v9 z"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;">]>${svg('<path d="&b;"/>')}`;
    expect(() => readShapesSvg(bomb, 'x')).toThrow(refused);
  });
});
