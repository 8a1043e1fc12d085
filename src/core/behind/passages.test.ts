import { describe, expect, it } from '@jest/globals';
import { identity3, type Matrix3 } from '../geometry/homography.ts';
import { H, HOLE, looksAt, seenOf, toTheLeft, toTheRight, trailOf } from '../testing/passing.ts';
import { goesFar, passersOf, type Passer } from './passages.ts';

const looks = looksAt([toTheRight, toTheLeft]);
const middle = 33;
const nobody = { ...toTheRight, width: 0 };

/** Who is seen where in the first and the last free frame. */
const ends = ({ bodies, free }: Passer): number[] => [bodies.get(free[0])!.y, bodies.get(free.at(-1)!)!.y];

describe('who goes in on one side of a hole', () => {
  it('is who comes out on the other, not who comes out where they were lost', () => {
    // Followed by where they are alone, both seem to turn around behind the hole.
    const trails = [
      trailOf((t) => (t < middle ? toTheRight : toTheLeft)),
      trailOf((t) => (t < middle ? toTheLeft : toTheRight)),
    ];
    const found = passersOf(trails, looks, identity3);
    expect(found).toHaveLength(2);
    for (const one of found) {
      const [first, last] = ends(one);
      expect(Math.abs(first - last)).toBeLessThan(8);
      expect(one.free.length).toBeGreaterThan(30);
    }
  });

  it('shows all of it in frames in which neither hole nor anybody else is beside it', () => {
    const [one] = passersOf([trailOf(() => toTheRight)], looks, identity3);
    for (const t of one.free) {
      const { x, width } = one.bodies.get(t)!;
      expect(x + width < HOLE.from || x > HOLE.to).toBe(true);
    }
  });

  it('is seen alone after it, though somebody else was followed on from before it', () => {
    const beside = { ...toTheLeft, left: () => HOLE.to + 1 };
    const trails = [
      trailOf((t) => (t < middle ? toTheRight : beside)),
      trailOf((t) => (t < middle ? nobody : toTheRight)),
    ];
    const [one] = passersOf(trails, looksAt([toTheRight, beside]), identity3);
    expect(one.free.at(-1)).toBeGreaterThan(middle);
    for (const t of one.free) expect(one.bodies.get(t)).toEqual(seenOf(toTheRight, t));
  });

  it('may go along the border of the picture', () => {
    const low = { ...toTheRight, top: H - toTheRight.height - 3 };
    expect(passersOf([trailOf(() => low)], looksAt([low]), identity3)).toHaveLength(1);
  });

  it('is nobody whom it never leaves', () => {
    const clinging = { ...toTheRight, left: () => HOLE.to + 3 };
    expect(passersOf([trailOf(() => clinging)], looksAt([clinging]), identity3)).toEqual([]);
  });
});

describe('who goes far', () => {
  const seen = (left: (t: number) => number, from: number, to: number): Passer => {
    const { bodies, wholes } = trailOf(() => ({ ...toTheRight, left }));
    return { bodies, wholes, free: Array.from({ length: to - from }, (_, k) => from + k) };
  };

  it('is somebody who is seen for long and goes on, not what sways or comes and goes', () => {
    expect(
      goesFar(
        seen((t) => 10 + t, 0, 40),
        identity3,
      ),
    ).toBe(true);
    expect(
      goesFar(
        seen((t) => 30 + 6 * Math.sin(t), 0, 40),
        identity3,
      ),
    ).toBe(false);
    expect(
      goesFar(
        seen((t) => 10 + 8 * t, 0, 6),
        identity3,
      ),
    ).toBe(false);
  });

  it('is told beside the camera', () => {
    const turning = (from: number, to: number): Matrix3 => Float64Array.of(1, 0, to - from, 0, 1, 0, 0, 0, 1);
    expect(
      goesFar(
        seen((t) => 10 + t, 0, 40),
        turning,
      ),
    ).toBe(false);
  });
});
