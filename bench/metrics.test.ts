import { describe, expect, it } from '@jest/globals';
import { smallFormat } from '../src/core/testing/frames.ts';
import { gaussFrom } from '../src/core/testing/random.ts';
import { changedOutside, FrameJudge, type FrameTruth } from './metrics.ts';
import { blur1, type Picture } from './picture.ts';

const [W, H] = [160, 120];
/** The hole, px: columns and rows from and to; every second column and row is looked at for a seam. */
const HOLE = [61, 101, 41, 81];
/** How far the scene moves to the right until the next frame, px. */
const SHIFT = 3;
const GRAIN = 2;

const texture = (x: number, y: number): number => 120 + 30 * Math.sin(x / 5) * Math.cos(y / 7);
const painted = (of: (x: number, y: number) => number): Picture => ({
  width: W,
  height: H,
  values: Float32Array.from({ length: W * H }, (_, i) => of(i % W, Math.floor(i / W))),
});
const grainy = (seed: number, strength = GRAIN): ((v: number) => number) => {
  const gauss = gaussFrom(seed);
  return (v) => v + strength * gauss();
};
const inHole = (x: number, y: number): boolean => x >= HOLE[0] && x < HOLE[1] && y >= HOLE[2] && y < HOLE[3];
const mask = (of: (x: number, y: number) => boolean): Uint8Array =>
  Uint8Array.from({ length: W * H }, (_, i) => (of(i % W, Math.floor(i / W)) ? 1 : 0));
/** The first picture where the hole is, the second around it. */
const patched = (inside: Picture, around: Picture, by = 0): Picture =>
  painted((x, y) => (inHole(x - by, y) ? inside : around).values[y * W + x]);

const truth = painted(texture);
const moved = painted((x, y) => texture(x - SHIFT, y));
const withGrain = (p: Picture, seed: number, strength = GRAIN): Picture => {
  const grain = grainy(seed, strength);
  return { ...p, values: p.values.map((v) => grain(v)) };
};
const next = new Float32Array(2 * Math.ceil(W / 8) * Math.ceil(H / 8));
for (let k = 0; 2 * k < next.length; k++) {
  next.set([8 * (k % Math.ceil(W / 8)) + SHIFT, 8 * Math.floor(k / Math.ceil(W / 8))], 2 * k);
}
const facts: FrameTruth = {
  frame: 5,
  truth,
  limit: withGrain(truth, 11),
  limitNext: withGrain(moved, 12),
  hole: mask(inHole),
  touched: mask(inHole),
  // The hole goes on with the scene.
  touchedNext: mask((x, y) => inHole(x - SHIFT, y)),
  seen: mask((x, y) => inHole(x, y) && x < 86),
  next,
  nextCols: Math.ceil(W / 8),
};
const judge = new FrameJudge(facts);
const decibel = (error: number): number => 20 * Math.log10(255 / error);

describe('the judge of a filled frame', () => {
  it('finds the limit itself natural, and as far from the truth as its grain', () => {
    const score = judge.score(facts.limit, facts.limitNext);
    expect([score.flicker, score.sharpness, score.seam]).toEqual([1, 1, 1]);
    const spread = Math.sqrt(
      blur1(
        withGrain(
          painted(() => 0),
          31,
        ),
      ).values.reduce((s, v) => s + v * v, 0) /
        (W * H),
    );
    expect(score.psnrSeen).toBeCloseTo(decibel(spread), 0);
    expect(score.seenPx).toBe(25 * 40);
  });

  it('measures an even error in decibel of 255, where the background was seen and where not', () => {
    const wrong = painted((x, y) => texture(x, y) + (x < 86 ? 2 : 8));
    const { psnrSeen, psnrUnseen } = judge.score(wrong, moved);
    // The blur mixes the two over some px.
    expect(psnrSeen).toBeCloseTo(decibel(2), 0);
    expect(psnrUnseen).toBeCloseTo(decibel(8), 0);
    expect(judge.score(truth, moved).psnrSeen).toBeGreaterThan(90);
  });

  it('says nothing of fewer than fifty px', () => {
    const few = new FrameJudge({ ...facts, seen: mask((x, y) => x === 70 && y < 81 && inHole(x, y)) });
    expect(few.score(truth, moved).psnrSeen).toBeNaN();
    expect(few.score(truth, moved).ssimSeen).toBeNaN();
  });

  it('sees structure that is missing', () => {
    const flat = painted(() => 120);
    expect(judge.score(truth, moved).ssimSeen).toBeCloseTo(1, 5);
    expect(judge.score(flat, flat).ssimSeen).toBeLessThan(0.6);
  });

  it('calls a fill without grain of its own too still, and one with twice the grain restless', () => {
    const still = judge.score(patched(truth, facts.limit), patched(moved, facts.limitNext, SHIFT));
    expect(still.flicker).toBeLessThan(0.15);
    const twice = (p: Picture, seed: number): Picture => withGrain(p, seed, 2 * GRAIN);
    const restless = judge.score(
      patched(twice(truth, 21), facts.limit),
      patched(twice(moved, 22), facts.limitNext, SHIFT),
    );
    expect(restless.flicker).toBeGreaterThan(1.8);
    expect(restless.flicker).toBeLessThan(2.2);
  });

  it('follows the scene: what stands still in a scene that moves, flickers', () => {
    const stuck = judge.score(patched(facts.limit, facts.limit), patched(facts.limit, facts.limitNext, SHIFT));
    expect(stuck.flicker).toBeGreaterThan(3);
  });

  it('calls a blurred fill unsharp, but not in a frame that is as blurred all over', () => {
    const soft = blur1(facts.limit);
    expect(judge.score(patched(soft, facts.limit), facts.limitNext).sharpness).toBeLessThan(0.4);
    expect(judge.score(soft, blur1(facts.limitNext)).sharpness).toBeGreaterThan(0.9);
  });

  it('sees a step at the border', () => {
    const bright = patched(
      painted((x, y) => texture(x, y) + 20),
      facts.limit,
    );
    expect(judge.score(bright, facts.limitNext).seam).toBeGreaterThan(1.3);
    expect(judge.score(patched(truth, facts.limit), facts.limitNext).seam).toBeCloseTo(1, 1);
  });
});

describe('samples changed outside', () => {
  const format = smallFormat(8, 6, true);
  const [luma, chroma] = [8 * 6, 4 * 3];
  const before = Uint8Array.from({ length: luma + 2 * chroma }, (_, i) => i);
  const touched = new Uint8Array(luma);
  touched[2 * 8 + 3] = 1;
  const after = (...changed: number[]): number => {
    const result = before.slice();
    for (const at of changed) result[at] ^= 1;
    return changedOutside(before, result, touched, format);
  };

  it('are none where nothing, or the hole alone, has changed', () => {
    expect(after()).toBe(0);
    expect(after(2 * 8 + 3)).toBe(0);
  });

  it('are counted in every plane', () => {
    expect(after(0, 2 * 8 + 2, luma + 11, luma + chroma)).toBe(4);
  });

  it('leave out the chroma of a px in the hole, which is that of its neighbours too', () => {
    expect(after(luma + 1 * 4 + 1)).toBe(0);
    expect(after(luma + chroma + 1 * 4 + 1)).toBe(0);
    expect(after(luma + 1 * 4 + 2)).toBe(1);
  });
});
