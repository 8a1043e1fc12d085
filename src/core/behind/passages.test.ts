import { describe, expect, it } from '@jest/globals';
import { identity3 } from '../geometry/homography.ts';
import { HOLE, looksAt, seenOf, toTheLeft, toTheRight, trailOf } from '../testing/passing.ts';
import { passersOf, type Passer } from './passages.ts';

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

  it('is nobody whom it never leaves', () => {
    const clinging = { ...toTheRight, left: () => HOLE.to + 3 };
    expect(passersOf([trailOf(() => clinging)], looksAt([clinging]), identity3)).toEqual([]);
  });
});
