import { expect, it } from '@jest/globals';
import { BESIDE, FIXED, shareOf, smallerMask, staysMask } from './stays.ts';

const film = { width: 5, height: 4 };
const fixed = {
  width: 3,
  height: 2,
  step: 2,
  mask: Uint8Array.of(0, FIXED, BESIDE, 0, 0, 0),
  paint: new Uint8Array(256),
};

it('brings what is fixed to the size of the film, with its bars', () => {
  const rows = (mask: Uint8Array): string[] => [0, 1, 2, 3].map((y) => mask.subarray(5 * y, 5 * y + 5).join(''));
  expect(rows(staysMask({ fixed }, film))).toEqual(['00112', '00112', '00000', '00000']);
  const bars = { left: 1, top: 0, right: 0, bottom: 1 };
  expect(rows(staysMask({ fixed, bars }, film))).toEqual(['10112', '10112', '10000', '11111']);
});

it('tells its share, without what lies beside', () => {
  expect(shareOf(fixed)).toBeCloseTo(1 / 6);
});

it('has in smaller frames what is touched at all', () => {
  const mask = Uint8Array.from({ length: 20 }, (_, i) => (i === 4 || i === 16 ? BESIDE : 0));
  expect([...smallerMask(mask, film, 2)]).toEqual([0, 0, 1, 1, 0, 0]);
  expect(smallerMask(mask, film, 1)).toBe(mask);
});
