import { describe, expect, it } from '@jest/globals';
import type { Matrix3, Point } from '../geometry/homography.ts';
import { box, film, still } from '../testing/movingFilm.ts';
import { wayOf } from './ownWay.ts';

const right = (t: number): Point => ({ x: 10 + 2 * t, y: 20 });

describe('the way of what is under a mask', () => {
  const mask = box(20, 20, 20, 30);

  it('is told by its colours, whatever the camera does', () => {
    expect(wayOf(mask, 5, 8, film([right]), still).own).toEqual({ x: 6, y: 0 });
    const panned = (from: number, to: number): Matrix3 => Float64Array.of(1, 0, -(to - from), 0, 1, 0, 0, 0, 1);
    expect(wayOf(mask, 5, 8, film([right], 1), panned)).toEqual({ camera: { x: -3, y: 0 }, own: { x: 9, y: 0 } });
  });

  it('is found where it is expected, and elsewhere if it is not there', () => {
    for (const guess of [
      { x: 5, y: 1 },
      { x: -12, y: 9 },
      { x: 2, y: 0 },
    ])
      expect(wayOf(mask, 5, 8, film([right]), still, guess).own).toEqual({ x: 6, y: 0 });
  });

  it('is unknown of what rests, and of what leaves the picture', () => {
    expect(wayOf(mask, 5, 8, film([() => ({ x: 20, y: 20 })]), still).own).toBeUndefined();
    const leaving = film([(t) => ({ x: 150 + 15 * t, y: 20 })]);
    expect(wayOf(box(150, 20, 10, 30), 0, 3, leaving, still).own).toBeUndefined();
  });
});
