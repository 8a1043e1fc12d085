import { describe, expect, it } from '@jest/globals';
import { diceFrom } from '../testing/random.ts';
import {
  areaOf,
  at,
  centreOf,
  common,
  distanceFrom,
  grown,
  inClip,
  maskIn,
  moved,
  patchOf,
  reduced,
  shared,
  sharedNear,
  trimmed,
  union,
  type MaskPatch,
} from './maskPatch.ts';

/** A patch drawn with # at a corner. */
const drawn = (x: number, y: number, ...rows: string[]): MaskPatch => ({
  x,
  y,
  width: rows[0].length,
  height: rows.length,
  data: Uint8Array.from([...rows.join('')], (c) => (c === '#' ? 1 : 0)),
});
const picture = ({ x, y, width, height, data }: MaskPatch): [number, number, string[]] => [
  x,
  y,
  Array.from({ length: height }, (_, v) =>
    [...data.subarray(v * width, (v + 1) * width)].map((d) => (d ? '#' : '.')).join(''),
  ),
];

const CORNER = drawn(2, 1, '##', '#.');

describe('a patch', () => {
  it('is the smallest rectangle around its px', () => {
    expect(picture(patchOf([12, 13, 22], 10))).toEqual([2, 1, ['##', '#.']]);
    expect(patchOf([], 10)).toMatchObject({ width: 0, height: 0 });
  });

  it('has an area, a middle, and a value everywhere', () => {
    expect([areaOf(CORNER), centreOf(CORNER)]).toEqual([3, { x: 2 + 1 / 3, y: 1 + 1 / 3 }]);
    expect([at(CORNER, 2, 2), at(CORNER, 3, 2), at(CORNER, 1, 1), at(CORNER, 2, 0), at(CORNER, 9, 9)]).toEqual([
      1, 0, 0, 0, 0,
    ]);
  });

  it('is moved by whole px', () => {
    expect(picture(moved(CORNER, 1.6, -0.6))).toEqual([4, 0, ['##', '#.']]);
  });

  it('is cut to a rectangle, wherever that lies', () => {
    expect([...maskIn(CORNER, { x: 1, y: 2, width: 3, height: 2 })]).toEqual([0, 1, 0, 0, 0, 0]);
    expect([...maskIn(CORNER, { x: 40, y: 2, width: 2, height: 1 })]).toEqual([0, 0]);
  });

  it('loses empty rows and columns', () => {
    expect(picture(trimmed(drawn(5, 5, '....', '..#.', '.#..', '....')))).toEqual([6, 6, ['.#', '#.']]);
    expect(trimmed(drawn(5, 5, '..', '..'))).toMatchObject({ x: 5, y: 5, width: 0, height: 0 });
  });

  it('grows by a square', () => {
    expect(picture(grown(drawn(3, 3, '#.', '..'), 1))).toEqual([2, 2, ['###.', '###.', '###.', '....']]);
    expect(picture(grown(CORNER, 0))).toEqual(picture(CORNER));
  });
});

describe('two patches', () => {
  const other = drawn(3, 0, '.#', '#.', '##');

  it('are joined, and share px', () => {
    expect(picture(union(CORNER, other))).toEqual([2, 0, ['..#', '##.', '###']]);
    expect([shared(CORNER, other), picture(common(CORNER, other))]).toEqual([1, [3, 1, ['#', '.']]]);
  });

  it('that do not touch share nothing', () => {
    const far = moved(other, 20, 0);
    expect([shared(CORNER, far), areaOf(common(CORNER, far)), areaOf(union(CORNER, far))]).toEqual([0, 0, 7]);
  });

  it('share nearly what one shares with the other grown', () => {
    const dice = diceFrom(5);
    const random = (): MaskPatch => {
      const [x, y, width, height] = [9, 9, 12, 12].map((most) => 1 + Math.floor(dice() * most));
      return { x, y, width, height, data: Uint8Array.from({ length: width * height }, () => (dice() < 0.2 ? 1 : 0)) };
    };
    for (let k = 0; k < 200; k++) {
      const [a, b, r] = [random(), random(), k % 4];
      expect(sharedNear(a, b, r)).toBe(shared(a, grown(b, r)));
    }
  });
});

describe('a patch at a reduced size', () => {
  it('has the px of which at least half is covered, counted from the frame’s corner', () => {
    // Of the four squares of 2 x 2 px that it touches it covers one, one, two and one px.
    expect(picture(reduced(drawn(1, 1, '##.', '#.#', '#..'), 2))).toEqual([0, 0, ['..', '#.']]);
    expect(picture(reduced(drawn(4, 2, '##', '##'), 2))).toEqual([2, 1, ['#']]);
  });

  it('lies half a px beside the clip’s px', () => {
    expect([inClip(0, 1), inClip(0, 4), inClip(10, 2)]).toEqual([0, 1.5, 20.5]);
  });
});

describe('distances from a patch', () => {
  it('count straight and slanting steps, below 0 inside', () => {
    const away = distanceFrom(drawn(2, 2, '###', '###', '###'), { x: 0, y: 0, width: 7, height: 7 });
    const of = (x: number, y: number): number => away[y * 7 + x];
    expect([of(2, 2), of(3, 3), of(5, 3), of(6, 3)]).toEqual([-1, -2, 1, 2]);
    expect(of(1, 1)).toBeCloseTo(Math.SQRT2, 5);
    expect(of(0, 1)).toBeCloseTo(1 + Math.SQRT2, 5);
  });

  it('are far where there is none', () => {
    const away = distanceFrom(drawn(0, 0, '.'), { x: 0, y: 0, width: 4, height: 3 });
    expect(Math.min(...away)).toBeGreaterThan(4);
  });
});
