import { describe, expect, it } from '@jest/globals';
import { union, type MaskPatch } from '../movers/maskPatch.ts';
import { coverageOf, mendOf } from './coverage.ts';

const box = (x: number, y: number, width: number, height: number): MaskPatch => ({
  x,
  y,
  width,
  height,
  data: new Uint8Array(width * height).fill(1),
});
/** A thing of 10 by 20 px that goes right by 2 px a frame. */
const walker = { first: 0, masks: Array.from({ length: 20 }, (_, t) => box(10 + 2 * t, 30, 10, 20)) };
/** Its matte, one px wider. */
const around = (t: number): MaskPatch => box(9 + 2 * t, 29, 12, 22);

describe('coverageOf', () => {
  it('has nothing to say of a matte that covers its thing, nor of what never was in it', () => {
    const other = { first: 0, masks: walker.masks.map((m) => ({ ...m, y: 80 })) };
    expect(coverageOf([walker, other], around)).toEqual([]);
  });

  it('flags the frames in which a part sticks out, and where', () => {
    const lacking = (t: number): MaskPatch => (t === 7 || t === 8 ? box(9 + 2 * t, 29, 12, 15) : around(t));
    const flagged = coverageOf([walker], lacking);
    expect(flagged.map((f) => f.frame)).toEqual([7, 8]);
    // Six rows of ten px, without the corners, which stand alone.
    expect(flagged[0].out).toBeGreaterThan(55);
    expect(flagged[0].out).toBeLessThanOrEqual(60);
    expect(flagged[0].share).toBeCloseTo(flagged[0].out / 200, 9);
    expect(flagged[0].mask).toMatchObject({ x: 24, y: 44, width: 10, height: 6 });
    expect(mendOf(flagged)).toEqual({ kind: 'key', growth: 6, frame: 7 });
  });

  it('proposes to grow where a little more would do: a rim all around is no roughness', () => {
    const tight = (t: number): MaskPatch => box(10 + 2 * t, 32, 10, 16);
    const flagged = coverageOf([walker], tight);
    expect(flagged).toHaveLength(20);
    expect(mendOf(flagged)).toMatchObject({ kind: 'grow', growth: 2 });
    // A frame that needs a key is flagged again after that, and does not hinder the others.
    const lost = coverageOf([walker], (t) => (t === 12 ? box(32, 38, 12, 6) : tight(t)));
    expect(mendOf(lost)).toMatchObject({ kind: 'grow', growth: 2, frame: 12 });
  });

  it('does not flag a thread, which the edge of something behind it leaves', () => {
    const withThread = (width: number): { first: number; masks: MaskPatch[] } => ({
      ...walker,
      masks: walker.masks.map((m) => union(m, box(m.x - 12, 35, 12, width))),
    });
    expect(coverageOf([withThread(2)], around)).toEqual([]);
    expect(coverageOf([withThread(4)], around)).toHaveLength(20);
  });

  it('asks for as much as suits the size of a thing: its outline is as rough', () => {
    const large = { first: 0, masks: walker.masks.map((m) => box(m.x, 20, 60, 60)) };
    const lacks = (rows: number) => (t: number) => box(10 + 2 * t, 20, 60, 60 - rows);
    expect(coverageOf([large], lacks(5))).toEqual([]);
    expect(coverageOf([large], lacks(7))).toHaveLength(20);
  });

  it('flags frames that have no matte at all', () => {
    const none = { x: 0, y: 0, width: 0, height: 0, data: new Uint8Array(0) };
    const flagged = coverageOf([walker], (t) => (t === 12 ? none : around(t)));
    expect(flagged.map((f) => [f.frame, f.share])).toEqual([[12, expect.closeTo(0.98, 1)]]);
    expect(mendOf(flagged)).toMatchObject({ kind: 'key', frame: 12 });
  });

  it('tells of a thing of which only a part was marked, beside another that is all there', () => {
    const far = { first: 0, masks: walker.masks.map((m) => ({ ...m, y: 80 })) };
    // The head of one, all of the other: one matte of two parts.
    const both = (t: number): MaskPatch => {
      const out = box(9 + 2 * t, 29, 12, 72);
      for (let y = 36; y < 79; y++) out.data.fill(0, (y - 29) * 12, (y - 28) * 12);
      return out;
    };
    const flagged = coverageOf([walker, far], both);
    expect(flagged.map((f) => f.frame)).toEqual(walker.masks.map((_, t) => t));
    expect(flagged[3].mask).toMatchObject({ x: 16, y: 36, width: 10, height: 14 });
    expect(mendOf(flagged)?.kind).toBe('key');
  });

  it('says nothing of who passes in front of a thing that rests', () => {
    const rests = (): MaskPatch => box(28, 40, 6, 6);
    expect(coverageOf([walker], rests)).toEqual([]);
  });

  it('does not take another thing that passes right beside it for a part of it', () => {
    // The two are one region there, and the line between them is a guess.
    const passing = { first: 0, masks: Array.from({ length: 20 }, (_, t) => box(60 - 4 * t, 30, 10, 20)) };
    const blurred = { ...walker, masks: walker.masks.map((m, t) => (t === 9 ? box(24, 30, 14, 20) : m)) };
    expect(coverageOf([blurred], around).map((f) => f.frame)).toEqual([9]);
    expect(coverageOf([blurred, passing], around)).toEqual([]);
  });
});
