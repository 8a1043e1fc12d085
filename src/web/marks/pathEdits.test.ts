import { describe, expect, it } from '@jest/globals';
import { flatten } from '../../core/shapes/rasterise.ts';
import { ellipsePoints, rectanglePoints } from '../../core/shapes/shape.ts';
import { pathData } from '../../core/shapes/shapeTable.ts';
import { boundsOf, insertPoint, moveHandle, removePoint, rotate, scale, toggleCorner, translate } from './pathEdits.ts';

const box = rectanglePoints(10, 20, 30, 40);

describe('an outline as a whole', () => {
  it('is moved, scaled about a corner that stays, and turned by a quarter', () => {
    expect(translate(box, 5, -2)[0]).toMatchObject({ x: 15, y: 18 });
    const twice = scale(box, { x: 10, y: 20 }, 2, 0.5);
    expect(boundsOf(twice)).toEqual({ x: 10, y: 20, width: 40, height: 10 });
    const turned = rotate(box, { x: 20, y: 30 }, Math.PI / 2);
    // Clockwise as seen: the upper left corner goes to the upper right.
    expect([turned[0].x, turned[0].y].map(Math.round)).toEqual([30, 20]);
  });

  it('takes its handles along', () => {
    const [top] = rotate(ellipsePoints(0, 0, 10, 10), { x: 0, y: 0 }, Math.PI / 2);
    expect(top.x).toBeCloseTo(10);
    expect(top.y).toBeCloseTo(0);
    expect(top.outX).toBeCloseTo(0);
    expect(top.outY).toBeGreaterThan(5);
  });
});

describe('points', () => {
  it('are inserted where the outline is nearest, without changing it', () => {
    const { points, index } = insertPoint(ellipsePoints(0, 0, 10, 10), { x: 7.2, y: -7.2 });
    expect([points.length, index]).toEqual([5, 1]);
    const radii = Array.from(flatten(points)).flatMap((x, i, all) => (i % 2 === 0 ? [Math.hypot(x, all[i + 1])] : []));
    expect(Math.max(...radii.map((r) => Math.abs(r - 10)))).toBeLessThan(0.01);
  });

  it('are deleted down to three', () => {
    expect(removePoint(box, 1)).toHaveLength(3);
    expect(removePoint(removePoint(box, 1), 0)).toHaveLength(3);
  });

  it('become round and sharp again', () => {
    const round = toggleCorner(box, 0);
    expect(Math.hypot(round[0].outX, round[0].outY)).toBeGreaterThan(1);
    expect(toggleCorner(round, 0)).toEqual(box);
  });

  it('keep both handles in line unless one is moved alone', () => {
    const points = ellipsePoints(0, 0, 10, 10);
    const [top] = moveHandle(points, 0, 'out', { x: 0, y: -20 });
    expect(top.outY).toBe(-10);
    expect([top.inX, top.inY]).toEqual([-0, -top.outY * (5.522847498 / 10)]);
    const [alone] = moveHandle(points, 0, 'out', { x: 0, y: -20 }, true);
    expect([alone.inX, alone.inY]).toEqual([points[0].inX, points[0].inY]);
  });
});

it('is written as an SVG path, closed or open', () => {
  expect(pathData([])).toBe('');
  expect(pathData(rectanglePoints(0, 0, 1, 1).slice(0, 2), false)).toBe('M0 0C0 0 1 0 1 0');
  expect(pathData(box).endsWith('Z')).toBe(true);
});
