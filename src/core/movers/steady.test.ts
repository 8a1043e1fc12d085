import { describe, expect, it } from '@jest/globals';
import type { Point } from '../geometry/homography.ts';
import { box, film, found, still } from '../testing/movingFilm.ts';
import { areaOf, shared, union, type MaskPatch } from './maskPatch.ts';
import { steadied } from './steady.ts';

const right = (t: number): Point => ({ x: 10 + 3 * t, y: 20 });
const whole = (t: number): MaskPatch => box(right(t).x, 20, 20, 30);
const none = (): MaskPatch[] => [];
const upper = (t: number): MaskPatch => box(right(t).x, 20, 20, 12);

describe('a mover on a frame', () => {
  it('has what those before and after have of it, where that has moved to', () => {
    // For two frames its lower part is like what is behind it.
    const mover = found(0, 30, (t) => (t === 12 || t === 13 ? upper(t) : whole(t)));
    const { masks, path } = steadied(mover, film([right]), still, none);
    for (const t of [12, 13]) expect([areaOf(masks[t]), shared(masks[t], whole(t))]).toEqual([600, 600]);
    expect(path[12].x - path[11].x).toBeCloseTo(3, 5);
  });

  it('has no more than that: a glimpse of something else beside it stays one, and what comes does not come before its time', () => {
    const glimpse = (t: number): MaskPatch => box(right(t).x, 52, 20, 6);
    const mover = found(0, 30, (t) => (t === 12 || t >= 20 ? union(whole(t), glimpse(t)) : whole(t)));
    const { masks } = steadied(mover, film([right]), still, none);
    for (const t of [11, 13, 16]) expect(areaOf(masks[t])).toBe(600);
    expect(areaOf(masks[25])).toBe(720);
  });

  it('has nothing where the ground looks as it does on none of them: a leg has swung away', () => {
    // Below it there is ground, which stays behind as it goes.
    const leg = (t: number): MaskPatch => box(right(t).x, 50, 20, 10);
    const mover = found(0, 30, (t) => (t === 12 ? whole(t) : union(whole(t), leg(t))));
    expect(areaOf(steadied(mover, film([right]), still, none).masks[12])).toBe(600);
  });

  it('has what moves on it where it is before and after, though nothing joins the two; not what moves beside that', () => {
    const shin = (t: number): MaskPatch => box(right(t).x, 56, 20, 10);
    const parts = (t: number): MaskPatch[] => [shin(t), box(right(t).x + 40, 56, 20, 10)];
    const mover = found(0, 30, (t) => (t === 12 || t === 30 ? whole(t) : union(whole(t), shin(t))));
    const { masks } = steadied(mover, film([right]), still, parts);
    for (const t of [12, 30]) expect([areaOf(masks[t]), shared(masks[t], shin(t))]).toEqual([800, 200]);
  });

  it('ends at the frame, and is as it was found on its first and last', () => {
    const out = (t: number): Point => ({ x: 130 + 3 * t, y: 20 });
    const mover = found(0, 9, (t) => box(out(t).x, 20, 160 - out(t).x, 30));
    const { masks } = steadied(mover, film([out]), still, none);
    for (const mask of masks) expect(mask.x + mask.width).toBeLessThanOrEqual(160);
    expect([masks[0], masks[9]]).toEqual([mover.masks[0], mover.masks[9]]);
  });
});
