import { describe, expect, it } from '@jest/globals';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import { barsOf, resizedBars, withinBars } from './bars.ts';
import type { FrameFormat } from './format.ts';

const [W, H] = [40, 30];
const ALL = [0, 1, 2, 3];

/** Luma by which something is seen that changes from frame to frame. */
const picture = (x: number, y: number, frame: number): number => 60 + ((7 * x + 5 * y + 31 * frame) % 90);

const barsIn = (luma: (x: number, y: number, frame: number) => number, format: FrameFormat = smallFormat(W, H, true)) =>
  barsOf(
    paintedFrames(format, ALL.length, (x, y, plane, frame) => (plane === 0 || format.rgb ? luma(x, y, frame) : 128)),
    ALL,
  );

describe('bars along the sides of a film', () => {
  it('are found above and below, to the line', () => {
    expect(barsIn((x, y, t) => (y < 5 || y >= 24 ? 16 : picture(x, y, t)))).toEqual({
      left: 0,
      top: 5,
      right: 0,
      bottom: 6,
    });
  });

  it('are found at the sides of an upright film, and all around', () => {
    const upright = { left: 14, top: 0, right: 13, bottom: 0 };
    expect(barsIn((x, y, t) => (x < 14 || x >= 27 ? 16 : picture(x, y, t)))).toEqual(upright);
    const around = (x: number, y: number): boolean => x < 8 || x >= 30 || y < 9 || y >= 22;
    expect(barsIn((x, y, t) => (around(x, y) ? 16 : picture(x, y, t)))).toEqual({
      left: 8,
      top: 9,
      right: 10,
      bottom: 8,
    });
  });

  it('end before a line that a change of size has made grey', () => {
    expect(barsIn((x, y, t) => (y < 5 ? 16 : y === 5 ? 40 : picture(x, y, t)))).toMatchObject({ top: 5 });
  });

  it('may hold titles, which come and go', () => {
    const title = (x: number, y: number, t: number): boolean => t > 1 && x > 12 && x < 26 && y > 23 && y < 28;
    expect(barsIn((x, y, t) => (title(x, y, t) ? 220 : y >= 21 ? 16 : picture(x, y, t)))).toMatchObject({ bottom: 9 });
  });

  it('are told by all colours of RGB', () => {
    const format: FrameFormat = {
      ...{ width: W, height: H, depth: 8, colourPlanes: 3, rgb: true },
      planes: [0, 1, 2].map(() => ({ width: W, height: H, stepX: 1, stepY: 1 })),
    };
    expect(barsIn((x, y, t) => (y < 5 ? 0 : picture(x, y, t)), format)).toMatchObject({ top: 5, bottom: 0 });
    // Pure red at the top is no bar, though its green is 0.
    const red = paintedFrames(format, ALL.length, (x, y, plane, t) =>
      y < 5 ? (plane === 2 ? 200 : 0) : picture(x, y, t),
    );
    expect(barsOf(red, ALL)).toBeUndefined();
  });

  it('are neither a black sky above a ragged ridge, nor one that a hand moves, nor a film that is black', () => {
    const ridge = (x: number): number => 4 + (x % 10);
    expect(barsIn((x, y, t) => (y < ridge(x) ? 16 : picture(x, y, t)))).toBeUndefined();
    // It reaches least far in one of the four frames.
    const swaying = [6, 8, 9, 8];
    expect(barsIn((x, y, t) => (y < swaying[t] ? 16 : picture(x, y, t)))).toBeUndefined();
    expect(barsIn(() => 16)).toBeUndefined();
    expect(barsIn(picture)).toBeUndefined();
  });

  it('are as wide on frames of another size, and leave a picture between them', () => {
    const bars = { left: 0, top: 5, right: 2, bottom: 6 };
    expect(resizedBars(bars, (px) => 2 * px + 2)).toEqual({ left: 0, top: 12, right: 6, bottom: 14 });
    expect(withinBars(bars, { width: W, height: H })).toEqual({ x: 0, y: 5, width: 38, height: 19 });
  });
});
