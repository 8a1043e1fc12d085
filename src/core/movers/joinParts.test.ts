import { describe, expect, it } from '@jest/globals';
import type { Point } from '../geometry/homography.ts';
import { box, film, found, still } from '../testing/movingFilm.ts';
import { joinParts } from './joinParts.ts';
import { areaOf, type MaskPatch } from './maskPatch.ts';

const right = (t: number): Point => ({ x: 10 + 2 * t, y: 20 });
/** Its upper and lower half, of which more or less is seen: their middles go to and fro. */
const upper = (t: number): MaskPatch => box(right(t).x + 7 * (t % 2), 20, 20 - 7 * (t % 2), 12);
const lower = (t: number): MaskPatch => box(right(t).x, 34, 20 - 6 * (t % 3), 14);

describe('parts that were found one after another', () => {
  it('are one where they go the same way, whatever their middles do', () => {
    const [one, ...others] = joinParts([found(0, 24, upper), found(15, 39, lower)], film([right]), still);
    expect(others).toEqual([]);
    expect(one).toMatchObject({ first: 0, last: 39 });
    expect(one.masks).toHaveLength(40);
    expect([5, 30].map((t) => areaOf(one.masks[t]))).toEqual([areaOf(upper(5)), areaOf(lower(30))]);
    expect(areaOf(one.masks[20])).toBe(areaOf(upper(20)) + areaOf(lower(20)));
    expect(one.path).toHaveLength(40);
    expect(areaOf(one.masks[one.best])).toBe(Math.max(...one.masks.map(areaOf)));
  });

  it('are one by a third that is near to both', () => {
    const chain = [found(0, 14, upper), found(25, 39, upper), found(8, 32, lower)];
    expect(joinParts(chain, film([right]), still)).toHaveLength(1);
    // The foot is near the one for too short a time, and near the other in half of it; of both together it is a part.
    const rows =
      (first: number, last: number) =>
      (t: number): MaskPatch =>
        box(right(t).x, first, 20, last - first + 1);
    const foot = found(10, 19, rows(46, 49));
    const one = found(0, 14, rows(20, 40));
    const other = found(5, 30, (t) => rows(20, t < 15 ? 34 : 44)(t));
    expect(joinParts([foot, one], film([right]), still)).toHaveLength(2);
    expect(joinParts([foot, other], film([right]), still)).toHaveLength(2);
    expect(joinParts([foot, one, other], film([right]), still)).toHaveLength(1);
  });

  it('stay two where they are two that pass each other, or stand beside each other', () => {
    const left = (t: number): Point => ({ x: 60 - 2 * t, y: 52 });
    const passing = [found(8, 16, (t) => box(right(t).x, 20, 20, 30)), found(8, 16, (t) => box(left(t).x, 52, 20, 28))];
    expect(joinParts(passing, film([right, left]), still)).toHaveLength(2);
    const resting = [0, 1].map((k) => () => ({ x: 40 + 22 * k, y: 20 }));
    const beside = resting.map((place) => found(0, 39, () => box(place().x, 20, 20, 30)));
    expect(joinParts(beside, film(resting), still)).toHaveLength(2);
  });

  it('stay two where they are seen apart as well', () => {
    const faster = (t: number): Point => ({ x: 10 + 2 * t + Math.max(0, t - 14), y: 50 });
    const two = [found(0, 39, (t) => box(right(t).x, 20, 20, 28)), found(0, 39, (t) => box(faster(t).x, 50, 20, 28))];
    expect(joinParts(two, film([right, faster]), still)).toHaveLength(2);
    // As long as they go side by side, they are one.
    expect(
      joinParts(
        two.map((m) => found(0, 13, (t) => m.masks[t])),
        film([right, faster]),
        still,
      ),
    ).toHaveLength(1);
  });
});
