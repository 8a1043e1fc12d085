import { describe, expect, it } from '@jest/globals';
import { hiddenPlaces } from './hiddenPlaces.ts';

const thing = (x: number, y: number) => ({ x, y, width: 4, height: 3, data: new Uint8Array(12).fill(1) });
/** Places of a frame of 40 px across as x, y of the first and the last, and how many. */
const extent = (places: readonly number[]): number[] => {
  const [first, last] = [Math.min(...places), Math.max(...places)];
  return [first % 40, Math.floor(first / 40), last % 40, Math.floor(last / 40), places.length];
};

describe('hiddenPlaces', () => {
  it('lie where the background of the frame is in the other, and two px around', () => {
    const fiveOn = Float64Array.of(1, 0, 5, 0, 1, 0, 0, 0, 1);
    // 20 to 23 across is 15 to 18 here; 10 to 12 down.
    expect(extent(hiddenPlaces([thing(20, 10)], fiveOn, 40, 30))).toEqual([13, 8, 20, 14, 56]);
  });

  it('are those in the frame alone', () => {
    const same = Float64Array.of(1, 0, 0, 0, 1, 0, 0, 0, 1);
    expect(extent(hiddenPlaces([thing(0, 28)], same, 40, 30))).toEqual([0, 26, 5, 29, 24]);
    expect(hiddenPlaces([thing(50, 10)], same, 40, 30)).toEqual([]);
    expect(hiddenPlaces([], same, 40, 30)).toEqual([]);
  });

  it('become fewer where the other frame shows the background larger', () => {
    const twice = Float64Array.of(2, 0, 0, 0, 2, 0, 0, 0, 1);
    // 18 to 25 across and 8 to 14 down, there, is 9 to 12 (25 / 2 is not whole) and 4 to 7 here.
    expect(extent(hiddenPlaces([thing(20, 10)], twice, 40, 30))).toEqual([9, 4, 12, 7, 16]);
  });
});
