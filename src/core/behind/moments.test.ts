import { describe, expect, it } from '@jest/globals';
import { identity3 } from '../geometry/homography.ts';
import { HOLE, looksAt, nod, toTheRight, trailOf } from '../testing/passing.ts';
import { bodyIn, type Body } from './align.ts';
import { Moments, type Moment } from './moments.ts';
import { passersOf } from './passages.ts';
import { Follower } from './way.ts';

const looks = looksAt([toTheRight]);
const [passer] = passersOf([trailOf(() => toTheRight)], looks, identity3);
const bodyAt = (t: number): Body => bodyIn(looks, t, passer.bodies.get(t)!);
const way = new Follower(passer, bodyAt, looks, identity3).way();
const momentsWith = (blendsIn: (t: number) => number): Moment[] =>
  new Moments(passer, way, bodyAt, looks, identity3, blendsIn).find();

describe('somebody behind a hole', () => {
  it('goes on as before and after it', () => {
    const frames = [...way.keys()];
    expect(frames).toContain(33);
    for (const t of frames) expect(Math.abs(way.get(t)!.x - way.get(0)!.x - 2 * t)).toBeLessThan(1.2);
  });

  it('is shown by frames in which limbs are as they are seen, one after the other', () => {
    const found = momentsWith(() => 0);
    const hidden = Array.from({ length: 60 }, (_, t) => t).filter(
      (t) => 10 + 2 * t + 12 > HOLE.from && 10 + 2 * t < HOLE.to,
    );
    expect(found.map((m) => m.frame)).toEqual(expect.arrayContaining(hidden));
    for (const { frame, from, way } of found) {
      // While the head is seen it nods as it did.
      const left = toTheRight.left(frame);
      if (left < HOLE.from - 4 || left + 6 > HOLE.to + 2) {
        expect(Math.abs(nod(toTheRight, frame) - nod(toTheRight, from))).toBeLessThanOrEqual(1);
      }
      expect(Math.abs(way.x - 2 * (frame - from))).toBeLessThan(1);
    }
    const jumps = found.slice(1).filter((m, k) => m.from !== found[k].from + 1);
    expect(jumps.length).toBeLessThanOrEqual(3);
  });

  it('is taken from frames in which it stands out', () => {
    const found = momentsWith((t) => (t < 33 ? 1 : 0));
    expect(found.length).toBeGreaterThan(10);
    for (const { from } of found) expect(from).toBeGreaterThan(33);
  });

  it('is not laid over a hole that only touches it', () => {
    const beside = { ...toTheRight, left: (t: number) => Math.min(HOLE.from - 13, 10 + 2 * t) };
    const near = looksAt([beside]);
    const passers = passersOf([trailOf(() => beside)], near, identity3);
    const body = (t: number): Body => bodyIn(near, t, passers[0].bodies.get(t)!);
    const followed = new Follower(passers[0], body, near, identity3).way();
    expect(new Moments(passers[0], followed, body, near, identity3, () => 0).find()).toEqual([]);
  });
});
