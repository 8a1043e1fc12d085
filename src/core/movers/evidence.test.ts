import { describe, expect, it } from '@jest/globals';
import { UNKNOWN, withoutWhatStays } from './evidence.ts';

// One column per case, 24 px high.
const [W, H] = [5, 24];
const column = (values: Uint16Array, x: number): number[] => Array.from({ length: H }, (_, y) => values[y * W + x]);

function judged(unlike: (y: number) => number, stays: (y: number) => boolean): number[] {
  const values = Uint16Array.from({ length: W * H }, (_, i) => unlike(Math.floor(i / W)));
  const mask = Uint8Array.from({ length: W * H }, (_, i) => (stays(Math.floor(i / W)) ? 1 : 0));
  withoutWhatStays(values, mask, W);
  return column(values, 2);
}

describe('what stays in a picture', () => {
  it('says nothing of what moves beside a bar', () => {
    const found = judged(
      () => 700,
      (y) => y >= 20,
    );
    expect([found[18], found[19], found[23]]).toEqual([700, UNKNOWN, UNKNOWN]);
  });

  it('has what moves go on behind it, where it moves above and below', () => {
    const found = judged(
      (y) => (y < 10 ? 900 : 500),
      (y) => y === 10,
    );
    expect(found.slice(7, 13)).toEqual([900, 900, 500, 500, 500, 500]);
    const above = judged(
      (y) => (y < 10 ? 900 : 3),
      (y) => y === 10,
    );
    expect(above.slice(7, 13)).toEqual([900, 900, 3, 3, 3, 3]);
  });

  it('tells nothing where it is high', () => {
    const found = judged(
      () => 900,
      (y) => y >= 8 && y < 14,
    );
    expect([found[6], found[7], found[14], found[15]]).toEqual([900, UNKNOWN, UNKNOWN, 900]);
  });
});
