import { describe, expect, it } from '@jest/globals';
import type { Point } from '../geometry/homography.ts';
import { box, film, still } from '../testing/movingFilm.ts';
import { areParts, type Together } from './areParts.ts';
import type { MaskPatch } from './maskPatch.ts';

const right = (t: number): Point => ({ x: 10 + 2 * t, y: 20 });
const body = (t: number): MaskPatch => box(right(t).x, 20, 20, 30);
const together = (b: (t: number) => MaskPatch, from = 0, to = 19): Together[] =>
  Array.from({ length: to - from + 1 }, (_, k) => ({ frame: from + k, a: body(from + k), b: b(from + k) }));

describe('two that are found to move', () => {
  it('are parts of one thing where a leg of it swings', () => {
    // Half of the time the leg goes on with the body, or else it rests on the ground.
    const leg = (t: number): Point => ({ x: 10 + 4 * Math.floor((t + 1) / 4) * 2, y: 50 });
    const shown = film([right, leg]);
    expect(
      areParts(
        together((t) => box(leg(t).x, 50, 20, 12)),
        shown,
        still,
      ),
    ).toBe(true);
  });

  it('are one where a scrap that has no way of its own clings to the other', () => {
    // Shade on the ground: what is under it stays where it is.
    const shade = (width: number) => (t: number) => box(right(t).x, 51, width, 5);
    const shown = film([right]);
    expect(areParts(together(shade(20)), shown, still)).toBe(true);
    // What is as large as that is no scrap.
    expect(
      areParts(
        together((t) => box(right(t).x, 51, 20, 20)),
        shown,
        still,
      ),
    ).toBe(false);
    expect(areParts(together(shade(20), 0, 4), shown, still)).toBe(false);
  });

  it('are two where the smaller one goes its own way', () => {
    const left = (t: number): Point => ({ x: 60 - 2 * t, y: 52 });
    const child = (t: number): MaskPatch => box(left(t).x + 4, 54, 12, 10);
    expect(areParts(together(child, 8, 17), film([right, left]), still)).toBe(false);
    const slower = (t: number): Point => ({ x: 20 + t, y: 52 });
    expect(
      areParts(
        together((t) => box(slower(t).x, 52, 20, 6)),
        film([right, slower]),
        still,
      ),
    ).toBe(false);
  });
});
