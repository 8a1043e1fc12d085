import { describe, expect, it } from '@jest/globals';
import type { Matrix3 } from '../geometry/homography.ts';
import { grown, trimmed } from '../movers/maskPatch.ts';
import { Ball, ballMask, cueOf, H, inBall, W } from '../testing/ball.ts';
import { followOutline, likeness, type FollowedOutline, type FollowRequest } from './followOutline.ts';
import { tellApart } from './pointOut.ts';

const BAR = 14;
const COUNT = 14;

/** A ball, and a dark bar that passes in front of it from left to right. */
class Passed extends Ball {
  constructor(
    places: readonly { x: number; y: number }[],
    readonly bar: (frame: number) => number,
  ) {
    super(places);
    this.planes.forEach((planes, frame) =>
      planes.forEach((plane, p) => {
        const half = p === 0 ? 1 : 2;
        for (let i = 0; i < plane.length; i++) if (this.inBar(frame, (i % (W / half)) * half)) plane[i] = p ? 128 : 20;
      }),
    );
  }

  inBar(frame: number, x: number): boolean {
    return x >= this.bar(frame) && x < this.bar(frame) + BAR;
  }

  /** What moves: the bar, and whatever is said to. */
  cue(frame: number, moves: (x: number, y: number) => boolean = () => false) {
    const at = (i: number): boolean => this.inBar(frame, i % W) || moves(i % W, Math.floor(i / W));
    return cueOf(Float32Array.from({ length: W * H }, (_, i) => (at(i) ? -3 : 3)));
  }
}

const shift = (dx: number): Matrix3 => Float64Array.of(1, 0, dx, 0, 1, 0, 0, 0, 1);
const farAway = (): number => -100;
const follow = (frames: Ball, more: Partial<FollowRequest>): FollowedOutline[] => {
  const anchor = { frame: 1, mask: trimmed(ballMask(frames.places[1]!)) };
  return [...followOutline(frames, { anchors: [anchor], first: 0, last: COUNT - 1, ...more })];
};
const worst = (frames: Ball, found: readonly FollowedOutline[]): number =>
  Math.min(...found.map(({ frame, mask }) => likeness(mask, ballMask(frames.places[frame]!))));

describe('a thing that rests', () => {
  const still = Array.from({ length: COUNT }, () => ({ x: 48, y: 30 }));
  const frames = new Passed(still, (t) => 10 + 6 * t);
  const cueAt: FollowRequest['cueAt'] = (t) => frames.cue(t);

  it('is where it was while something passes in front of it, and is seen again after that', () => {
    const found = follow(frames, { cueAt, backgroundTo: () => shift(0) });
    expect(found.map((f) => f.frame).sort((a, b) => a - b)).toEqual([...still.keys()]);
    expect(worst(frames, found)).toBeGreaterThan(0.95);
    // The bar, 14 px wide, is over the ball (36 to 60) from 10 + 6t > 22 to 10 + 6t < 60.
    const held = found.filter((f) => f.held).map((f) => f.frame);
    expect([Math.min(...held), Math.max(...held), held.length]).toEqual([3, 8, 6]);
    expect(found.find((f) => f.frame === 12)!.confidence).toBeGreaterThan(0.8);
  });

  it('is lost there if nobody tells how its background moves', () => {
    expect(follow(frames, { cueAt }).length).toBeLessThan(COUNT - 3);
  });

  it('goes where its background goes', () => {
    const carried = new Passed(
      still.map((p, t) => ({ ...p, x: p.x - 12 + 2 * t })),
      (t) => 80 - 7 * t,
    );
    const found = follow(carried, { cueAt: (t) => carried.cue(t), backgroundTo: (a, b) => shift(2 * (b - a)) });
    expect(found.some((f) => f.held)).toBe(true);
    expect([found.length, worst(carried, found) > 0.93]).toEqual([COUNT, true]);
  });

  it('ends where its background goes out of the picture', () => {
    const leaves = new Passed(
      still.map((p, t) => ({ ...p, x: p.x + 12 * t })),
      farAway,
    );
    const found = follow(leaves, { cueAt: (t) => leaves.cue(t), backgroundTo: (a, b) => shift(12 * (b - a)) });
    // From frame 5 on all of it lies beyond the right border, at 96.
    expect(Math.max(...found.map((f) => f.frame))).toBe(4);
  });

  it('ends at a cut, as far as nothing else tells where it is', () => {
    const sameScene = (a: number, b: number): boolean => a < 5 === b < 5;
    const found = follow(frames, { cueAt, backgroundTo: (a, b) => (sameScene(a, b) ? shift(0) : undefined) });
    expect(found.some((f) => f.held && f.frame >= 5)).toBe(false);
  });

  it('is followed as what moves once it sets off', () => {
    const goes = new Passed(
      still.map((p, t) => ({ ...p, x: 30 + 4 * Math.max(0, t - 5) })),
      farAway,
    );
    const moving: FollowRequest['cueAt'] = (t) => goes.cue(t, (x, y) => t > 5 && inBall(goes.places[t]!, x, y));
    const found = follow(goes, { cueAt: moving, backgroundTo: () => shift(0) });
    expect([found.length, worst(goes, found) > 0.85]).toEqual([COUNT, true]);
  });
});

describe('what is told apart within a rough outline', () => {
  const place = { x: 48, y: 30 };
  const frames = new Passed([place], farAway);
  const rough = trimmed(grown(ballMask(place), 5));

  it('is what moves there, and not the rim of the background', () => {
    const own = tellApart(
      frames,
      0,
      rough,
      frames.cue(0, (x, y) => inBall(place, x, y)),
    );
    expect(likeness(rough, ballMask(place))).toBeLessThan(0.55);
    expect(likeness(own, ballMask(place))).toBeGreaterThan(0.95);
  });

  it('is not another that moves behind it, whose colours are seen beside it', () => {
    const behind = new Passed([place], () => 60);
    const { rest } = behind.cue(0, (x, y) => inBall(place, x, y));
    const moving = cueOf(rest.map((r) => 2 * r));
    const bar = { x: 66, y: 0, width: BAR - 6, height: H, data: new Uint8Array((BAR - 6) * H).fill(1) };
    expect(likeness(tellApart(behind, 0, rough, moving), ballMask(place))).toBeLessThan(0.85);
    expect(likeness(tellApart(behind, 0, rough, moving, bar), ballMask(place))).toBeGreaterThan(0.95);
  });

  it('is all of it if nothing moves', () => {
    expect(tellApart(frames, 0, rough, frames.cue(0))).toBe(rough);
  });
});
