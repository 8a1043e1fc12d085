import { describe, expect, it } from '@jest/globals';
import { randomFrom } from '../testing/random.ts';
import { softEdge, type ColourGuide } from './softEdge.ts';

const [W, H] = [96, 80];
const EDGE = 48;

/** Share of the thing per px: it fills the left, and fades out over `soft` px about x = EDGE. */
const truth = (soft: number): Float32Array =>
  Float32Array.from({ length: W * H }, (_, i) => Math.max(0, Math.min(1, 0.5 - ((i % W) - EDGE) / soft)));

const NONE = new Float32Array(W * H);
/** The thing at one brightness before a ground of another, without colour. */
const picture = (share: Float32Array, thing: number, ground: number): ColourGuide => [
  share.map((a) => a * thing + (1 - a) * ground),
  NONE,
  NONE,
];

/** An outline that cuts straight down, some px beside the true edge. */
const outline = (beside: number): Uint8Array =>
  Uint8Array.from({ length: W * H }, (_, i) => (i % W < EDGE + beside ? 255 : 0));

const error = (a: ArrayLike<number>, share: Float32Array): number =>
  share.reduce((sum, v, i) => sum + Math.abs(a[i] / 255 - v), 0) / H;

describe('the edge of a thing', () => {
  it('becomes as soft as the picture shows it', () => {
    const share = truth(8);
    const hard = outline(0);
    const soft = softEdge(hard, picture(share, 0.8, 0.3), W, H, 10);
    expect(error(soft, share)).toBeLessThan(0.5 * error(hard, share));
    const row = [...soft.subarray(40 * W, 41 * W)];
    for (let x = 1; x < W; x++) expect(row[x]).toBeLessThanOrEqual(row[x - 1] + 1);
  });

  it('is drawn to where it is when the outline lies a little beside it', () => {
    const share = truth(1);
    for (const beside of [-2, 2]) {
      const soft = softEdge(outline(beside), picture(share, 0.2, 0.7), W, H, 10);
      expect(error(soft, share)).toBeLessThan(0.6 * error(outline(beside), share));
    }
  });

  it('stays the outline’s own where the picture shows none, and far from it', () => {
    const flat = softEdge(outline(0), [NONE, NONE, NONE], W, H, 10);
    expect(flat).toEqual(outline(0));
    // A stripe across thing and ground, far from the border, is none of its business.
    const striped = picture(truth(1), 0.8, 0.3)[0].map((v, i) => (i % W < 12 ? 0.1 : v));
    const soft = softEdge(outline(0), [striped, NONE, NONE], W, H, 10);
    for (let y = 0; y < H; y++) expect(soft[y * W + 5]).toBe(255);
  });

  it('is the same turned round: dark before light or light before dark', () => {
    const share = truth(6);
    const light = softEdge(outline(1), picture(share, 0.8, 0.3), W, H, 8);
    const dark = softEdge(outline(1), picture(share, 0.2, 0.7), W, H, 8);
    light.forEach((v, i) => expect(Math.abs(v - dark[i])).toBeLessThanOrEqual(1));
  });

  it('is told by colour where the brightness of the ground goes up and down through the thing’s', () => {
    const share = truth(4);
    const random = randomFrom(7);
    const luma = share.map(() => 0.5);
    for (let i = 0; i < luma.length; i++) if (share[i] < 1) luma[i] = 0.5 + 0.5 * random();
    const grey = softEdge(outline(2), [luma, NONE, NONE], W, H, 10);
    const coloured = softEdge(outline(2), [luma, share.map((a) => 0.45 + 0.2 * a), NONE], W, H, 10);
    expect(error(coloured, share)).toBeLessThan(0.5 * error(grey, share));
    expect(error(coloured, share)).toBeLessThan(0.5 * error(outline(2), share));
  });
});
