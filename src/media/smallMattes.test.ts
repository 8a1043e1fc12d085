import { describe, expect, it } from '@jest/globals';
import type { FrameFormat, FrameReader } from '../core/image/format.ts';
import { matteFormat } from './decode.ts';
import { SmallMattes } from './smallMattes.ts';

/** Mattes in memory: sample (x, y) of frame t and plane p. */
function mattesOf(format: FrameFormat, at: (t: number, p: number, x: number, y: number) => number): FrameReader {
  return {
    format,
    count: 3,
    readRows: (t, p, y, rows, into) => {
      for (let i = 0; i < rows * format.width; i++)
        into[i] = at(t, p, i % format.width, y + Math.floor(i / format.width));
    },
  };
}

const read = (mattes: FrameReader, t: number, p: number, y: number, rows: number): number[] => {
  const into = new Uint8Array(mattes.format.width * rows).fill(7);
  mattes.readRows(t, p, y, rows, into);
  return [...into];
};

describe('mattes at a draft’s size', () => {
  it('remove whole what the full one touches, and one px around it', () => {
    const full = mattesOf(matteFormat(16, 16), (t, _, x, y) => (t === 1 && x === 4 && y === 11 ? 1 : 0));
    const small = new SmallMattes(full, matteFormat(4, 4), 4);
    expect(read(small, 0, 0, 0, 4)).toEqual(new Array(16).fill(0));
    // prettier-ignore
    expect(read(small, 1, 0, 0, 4)).toEqual([
      0, 0, 0, 0,
      254, 254, 254, 0,
      254, 255, 254, 0,
      254, 254, 254, 0,
    ]);
  });

  it.each([
    [23, 17, 3],
    [40, 9, 4],
    [13, 11, 1],
  ])('agree with the definition for %i x %i by %i, whole or in parts, in both planes', (w, h, factor) => {
    const on = (t: number, p: number, x: number, y: number): number =>
      (x * 37 + y * 101 + t * 13 + p * 7) % 61 === 0 ? 1 + ((x * y) % 255) : 0;
    const [sw, sh] = [Math.ceil(w / factor), Math.ceil(h / factor)];
    const small = new SmallMattes(mattesOf(matteFormat(w, h, true), on), matteFormat(sw, sh, true), factor);
    const touched = (t: number, p: number, u: number, v: number): boolean => {
      for (let y = v * factor; y < Math.min(h, (v + 1) * factor); y++)
        for (let x = u * factor; x < Math.min(w, (u + 1) * factor); x++) if (on(t, p, x, y) > 0) return true;
      return false;
    };
    for (const [t, p] of [
      [0, 0],
      [1, 1],
      [2, 0],
    ]) {
      const expected = Array.from({ length: sw * sh }, (_, i) => {
        const [u, v] = [i % sw, Math.floor(i / sw)];
        if (touched(t, p, u, v)) return 255;
        for (let j = Math.max(0, v - 1); j <= Math.min(sh - 1, v + 1); j++)
          for (let k = Math.max(0, u - 1); k <= Math.min(sw - 1, u + 1); k++) if (touched(t, p, k, j)) return 254;
        return 0;
      });
      expect(read(small, t, p, 0, sh)).toEqual(expected);
      for (let y = 0; y < sh; y += 2) {
        const rows = Math.min(2, sh - y);
        expect(read(small, t, p, y, rows)).toEqual(expected.slice(y * sw, (y + rows) * sw));
      }
    }
  });
});
