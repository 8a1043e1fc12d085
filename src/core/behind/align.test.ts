import { describe, expect, it } from '@jest/globals';
import { vertex } from '../geometry/vertex.ts';
import { paintedFrames, smallFormat } from '../testing/frames.ts';
import { align, bodyIn } from './align.ts';
import { Looks } from './looks.ts';

const [W, H] = [80, 60];
const mask = { x: 20, y: 15, width: 20, height: 30, data: new Uint8Array(600).fill(1) };
const texture = (x: number, y: number): number => 120 + 60 * Math.sin(x / 1.7) * Math.cos(y / 2.3);
/** A body that goes by (7, -3) from frame 0 to frame 1, before an even ground. */
const at = (t: number, x: number, y: number): number => {
  const [u, v] = [x - 7 * t, y + 3 * t];
  return u >= 20 && u < 40 && v >= 15 && v < 45 ? texture(u, v) : 40;
};
const looksWith = (hides: (t: number, x: number, y: number) => boolean): Looks =>
  new Looks(
    paintedFrames(smallFormat(W, H), 2, (x, y, _, t) => at(t, x, y)),
    paintedFrames(smallFormat(W, H), 2, (x, y, _, t) => (hides(t, x, y) ? 255 : 0)),
  );
const found = (looks: Looks, guess = { x: 5, y: -1 }): ReturnType<typeof align> =>
  align(looks, bodyIn(looks, 0, mask), 1, guess, 3);

describe('a body', () => {
  it('is found in another frame', () => {
    const { way, mismatch, seen } = found(looksWith(() => false))!;
    expect(way.x).toBeCloseTo(7, 0);
    expect(way.y).toBeCloseTo(-3, 0);
    expect(mismatch).toBeLessThan(1);
    expect(seen).toBe(1);
  });

  it('is found by what is seen of it, and it is known how much that is', () => {
    const { way, seen } = found(looksWith((t, x) => t === 1 && x < 37))!;
    expect(Math.round(way.x)).toBe(7);
    expect(Math.round(way.y)).toBe(-3);
    expect(seen).toBeCloseTo(0.5, 1);
  });

  it('is not found where it is hidden', () => {
    expect(found(looksWith((t) => t === 1))).toBeUndefined();
  });

  it('is unlike another whose px lie elsewhere', () => {
    const looks = looksWith(() => false);
    const body = bodyIn(looks, 0, mask);
    const there = { ...mask, x: 27, y: 12 };
    const both = align(looks, body, 1, { x: 7, y: -3 }, 0, bodyIn(looks, 1, there))!;
    const wider = { x: 27, y: 12, width: 40, height: 30, data: new Uint8Array(1200).fill(1) };
    const more = align(looks, body, 1, { x: 7, y: -3 }, 0, bodyIn(looks, 1, wider))!;
    expect(both.mismatch).toBeLessThan(1);
    // Half of the other's px are odd, each of which counts 30: as many as half of the body's.
    expect(more.mismatch).toBeGreaterThan(7);
    expect(more.mismatch).toBeLessThan(13);
  });
});

describe('the vertex of a parabola', () => {
  it('lies where the parabola is least, within half a step', () => {
    const at = (x: number): number => (x - 0.3) ** 2 + 5;
    expect(vertex(at(-1), at(0), at(1))).toBeCloseTo(0.3, 6);
    expect(vertex(3, 3, 3)).toBe(0);
    expect(vertex(Infinity, 2, 3)).toBe(0);
  });
});
