import { describe, expect, it } from '@jest/globals';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import { panning } from '../testing/panning.ts';
import { findFixed } from './fixed.ts';
import { BESIDE, CHANGING, FIXED, type Fixed } from './stays.ts';

const [W, H, FRAMES, PAN] = [160, 140, 30, 3];
const [WHITE, BLACK] = [235, 16];

/** A wall by which a camera pans. */
const wall = (x: number, y: number): number =>
  110 + 35 * Math.sin(x / 3) * Math.cos(y / 4) + 20 * Math.sin((x + 2 * y) / 7);

type Picture = (x: number, y: number, frame: number) => number;

const always = (): boolean => true;
const find = (picture: Picture, pan = PAN, isFree: (t: number, x: number, y: number) => boolean = always) => {
  const frames = paintedFrames(smallFormat(W, H), FRAMES, (x, y, _, t) => picture(x, y, t));
  return findFixed(frames, panning(W, H, FRAMES, pan), isFree);
};

/** Upright strokes of five px, with five between them. */
const isStroke = (x: number, y: number): boolean => x >= 20 && x < 85 && x % 10 < 5 && y >= 12 && y < 26;

const withText: Picture = (x, y, t) => (isStroke(x, y) ? WHITE : wall(x + PAN * t, y));

const maskOf = (found: Pick<Fixed, 'mask'> | undefined, x: number, y: number): number => found!.mask[y * W + x];

describe('what is fixed to the picture', () => {
  it('is found to the px while the background goes by', () => {
    const mask = find(withText);
    let [missed, more] = [0, 0];
    for (let y = 0; y < H; y++) {
      for (let x = 0; x < W; x++) {
        const isNear =
          isStroke(x, y) || isStroke(x - 1, y) || isStroke(x + 1, y) || isStroke(x, y - 1) || isStroke(x, y + 1);
        if (isStroke(x, y) && maskOf(mask, x, y) !== FIXED) missed++;
        if (!isNear && maskOf(mask, x, y) === FIXED) more++;
      }
    }
    expect([missed, more]).toEqual([0, 0]);
    // Nothing is taken from what shows it in part.
    expect(maskOf(mask, 18, 18)).toBe(BESIDE);
    expect(maskOf(mask, 10, 60)).toBe(0);
  });

  it('is found where strokes are thin', () => {
    for (const thick of [2, 3, 4]) {
      const isThin = (x: number, y: number): boolean => x >= 20 && x < 85 && x % 10 < thick && y >= 12 && y < 26;
      const mask = find((x, y, t) => (isThin(x, y) ? WHITE : wall(x + PAN * t, y)));
      for (let x = 50; x < 50 + thick; x++) expect([thick, x, maskOf(mask, x, 18)]).toEqual([thick, x, FIXED]);
      expect(maskOf(mask, 56, 18)).not.toBe(FIXED);
    }
  });

  it('is found where strokes meet', () => {
    for (const thick of [3, 4]) {
      const isCorner = (x: number, y: number): boolean =>
        x >= 20 && x < 60 && y >= 12 && y < 52 && (x % 10 < thick || (y - 12) % 10 < thick);
      const mask = find((x, y, t) => (isCorner(x, y) ? WHITE : wall(x + PAN * t, y)));
      const missed = Array.from({ length: W * H }, (_, i) => [i % W, Math.floor(i / W)]).filter(
        ([x, y]) => isCorner(x, y) && maskOf(mask, x, y) !== FIXED,
      );
      expect([thick, missed]).toEqual([thick, []]);
    }
  });

  it('is found where the background shows through it', () => {
    const mask = find((x, y, t) => (isStroke(x, y) ? 0.4 * wall(x + PAN * t, y) + 0.6 * WHITE : wall(x + PAN * t, y)));
    expect([20, 24, 50, 84].map((x) => maskOf(mask, x, 18))).toEqual([FIXED, FIXED, FIXED, FIXED]);
  });

  it('has the inside of what rests, up to the border of the picture', () => {
    const bonnet = (x: number, y: number): boolean => y > 90 + Math.abs(x - 80) / 4;
    const mask = find((x, y, t) => (bonnet(x, y) ? 40 : wall(x + PAN * t, y)));
    expect([maskOf(mask, 80, 115), maskOf(mask, 5, 138), maskOf(mask, 80, 40)]).toEqual([FIXED, FIXED, 0]);
  });

  it('has no inside that a matte always hides: who marks that wants it to go away', () => {
    const isIn = (x: number, y: number, by: number): boolean => Math.abs(x - 80) + Math.abs(y - 60) < by;
    const picture: Picture = (x, y, t) => (isIn(x, y, 24) ? WHITE : wall(x + PAN * t, y));
    const inside = (isFree: (x: number, y: number) => boolean): number =>
      maskOf(
        find(picture, PAN, (_, x, y) => isFree(x, y)),
        80,
        60,
      );
    expect(inside(always)).toBe(FIXED);
    expect(inside((x, y) => !isIn(x, y, 16))).not.toBe(FIXED);
  });

  it('has the digits of a time code that change', () => {
    const digit = (x: number, y: number, t: number): number =>
      (Math.floor(x / 4) * 7 + Math.floor(y / 4) * 13 + t * t * 5) % 11 < 6 ? WHITE : BLACK;
    const isDigit = (x: number, y: number): boolean => x >= 90 && x < 120 && y >= 12 && y < 26;
    const mask = find((x, y, t) => (isDigit(x, y) ? digit(x, y, t) : withText(x, y, t)));
    for (const x of [92, 100, 110, 117]) expect([x, maskOf(mask, x, 18)]).toEqual([x, CHANGING]);
    expect([WHITE, 100, 130].map((level) => mask!.paint[level])).toEqual([1, 0, 0]);
    expect([maskOf(mask, 140, 18), maskOf(mask, 8, 18)]).toEqual([0, 0]);
  });

  it('is nothing where all goes by, and where an edge lies along the way', () => {
    expect(find((x, y, t) => wall(x + PAN * t, y))).toBeUndefined();
    expect(find((_, y) => (y % 20 < 10 ? 200 : 60))).toBeUndefined();
  });

  it('is nothing where the camera hardly moves, and where all of it goes away', () => {
    expect(find((x, y) => (isStroke(x, y) ? WHITE : wall(x, y)), 0)).toBeUndefined();
    expect(find(withText, PAN, (_, x, y) => x < 15 || x > 90 || y > 30)).toBeUndefined();
  });

  it('is told from somebody who is followed: limbs move', () => {
    const isLeg = (x: number, y: number, t: number): boolean =>
      y > 50 && y < 80 && Math.abs(x - 80 - 8 * Math.sin(t)) < 6;
    expect(find((x, y, t) => (isLeg(x, y, t) ? 30 : wall(x + PAN * t, y)))).toBeUndefined();
  });
});
