import { describe, expect, it } from '@jest/globals';
import { paintedFrames, smallFormat } from '../core/testing/frames.ts';
import { SmallerFrames } from './smallerFrames.ts';

describe('smaller frames', () => {
  const full = paintedFrames(smallFormat(10, 8, true), 2, (x, y, plane, frame) => 10 * frame + 50 * plane + 3 * x + y);
  const small = new SmallerFrames(full, 4);

  it('have a sample for each square, the last ones too', () => {
    expect(small.count).toBe(2);
    expect(small.format).toMatchObject({ width: 3, height: 2 });
    expect(small.format.planes.map(({ width, height }) => [width, height])).toEqual([
      [3, 2],
      [2, 1],
      [2, 1],
    ]);
  });

  it('hold the means of squares', () => {
    const rows = new Uint8Array(3);
    small.readRows(1, 0, 1, 1, rows);
    // Rows 4 to 7 are 5.5 in the mean; columns 0 to 3, 4 to 7, and the last two.
    expect([...rows]).toEqual([10 + 4.5 + 5.5, 10 + 16.5 + 5.5, 10 + 25.5 + 5.5].map(Math.round));
    const chroma = new Uint8Array(2);
    small.readRows(0, 2, 0, 1, chroma);
    expect([...chroma]).toEqual([Math.round(100 + 4.5 + 1.5), Math.round(100 + 12 + 1.5)]);
  });
});
