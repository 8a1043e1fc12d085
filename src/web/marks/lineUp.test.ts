import { describe, expect, it } from '@jest/globals';
import { rectanglePoints } from '../../core/shapes/shape.ts';
import { holdOf, lineUp, linesOf, pictureBox } from './lineUp.ts';
import { boundsOf } from './pathEdits.ts';

const other = { x: 100, y: 50, width: 40, height: 10 };
const box = rectanglePoints(10, 20, 30, 60);

describe('lining up', () => {
  it('brings the same part of one box to that of another, along one axis alone', () => {
    const at = (axis: 'x' | 'y', part: 'start' | 'middle' | 'end') => boundsOf(lineUp(box, axis, part, other));
    expect(at('x', 'start')).toEqual({ x: 100, y: 20, width: 20, height: 40 });
    expect(at('x', 'middle').x).toBe(110);
    expect(at('x', 'end').x).toBe(120);
    expect(at('y', 'start')).toEqual({ x: 10, y: 50, width: 20, height: 40 });
    expect(at('y', 'middle').y).toBe(35);
    expect(at('y', 'end').y).toBe(20);
  });

  it("takes a picture's sides where its outermost px end", () => {
    expect(linesOf(pictureBox({ width: 4, height: 2 }), 'x')).toEqual([-0.5, 1.5, 3.5]);
    expect(linesOf(pictureBox({ width: 4, height: 2 }), 'y')).toEqual([-0.5, 0.5, 1.5]);
  });
});

describe('what holds a place', () => {
  it('is the line nearest to any of the places, up to a distance', () => {
    expect(holdOf([10, 20, 30], [17, 31], 5)).toEqual({ line: 31, by: 1 });
    expect(holdOf([10, 20, 30], [15], 5)).toEqual({ line: 15, by: 5 });
    expect(holdOf([10, 20, 30], [36], 5)).toBeUndefined();
    expect(holdOf([], [36], 5)).toBeUndefined();
    expect(holdOf([36], [], 5)).toBeUndefined();
  });
});
