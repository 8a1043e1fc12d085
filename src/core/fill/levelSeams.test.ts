import { describe, expect, it } from '@jest/globals';
import { levelSeams } from './levelSeams.ts';
import type { Incomplete } from './patches.ts';

const [W, H] = [90, 30];

/** A strip of which the middle is missing, px 35 to 54 of some rows. */
function strip(luma: (x: number, y: number) => number): Incomplete {
  const colour = new Float32Array(W * H * 4);
  const missing = new Uint8Array(W * H);
  for (let i = 0; i < W * H; i++) {
    const [x, y] = [i % W, Math.floor(i / W)];
    missing[i] = x >= 35 && x < 55 && y >= 8 && y < 22 ? 1 : 0;
    colour.set(missing[i] ? [0, 0, 0, 0] : [luma(x, y), 128, 128, 0], 4 * i);
  }
  return { width: W, height: H, colour, missing };
}

/** Fills what is missing from so many px to the left or right, and evens it out. */
function leveled(p: Incomplete, shift: (x: number) => number): { before: Float32Array; after: Float32Array } {
  const before = p.colour.slice();
  const from = new Int32Array(W * H).fill(-1);
  for (let i = 0; i < W * H; i++) {
    if (p.missing[i] === 0) continue;
    from[i] = i + shift(i % W);
    before.set(p.colour.subarray(4 * from[i], 4 * from[i] + 4), 4 * i);
  }
  const after = before.slice();
  levelSeams(p, after, from);
  return { before, after };
}

const at = (colour: Float32Array, x: number, y: number, plane = 0): number => colour[4 * (y * W + x) + plane];

describe('levelSeams', () => {
  it('carries light on from what is known into parts that are darker and lighter', () => {
    // Light falls off evenly to the right; both halves come from elsewhere, 12.5 levels off.
    const p = strip((x) => 150 - x / 2);
    const { before, after } = leveled(p, (x) => (x < 45 ? -25 : 25));
    expect([at(before, 37, 15), at(before, 52, 15)]).toEqual([144, 111.5]);
    for (let x = 35; x < 55; x++) expect(Math.abs(at(after, x, 15) - (150 - x / 2))).toBeLessThan(0.5);
  });

  it('keeps what a part shows, but for its light', () => {
    const pattern = (x: number): number => (x % 4 < 2 ? 6 : 0);
    const p = strip((x) => 100 + pattern(x) + (x < 35 ? 8 : 0));
    const { after } = leveled(p, () => 24);
    for (let x = 39; x < 54; x++) {
      const step = at(after, x + 1, 15) - at(after, x, 15);
      expect(step - (pattern(x + 1) - pattern(x))).toBeCloseTo(0, -0.5);
    }
  });

  it('does not let an edge bleed: what differs by much stays as it is', () => {
    // A dark post ends at the hole; the part beside it is taken from even ground.
    const p = strip((x) => (x >= 29 && x < 35 ? 30 : 120));
    const { before, after } = leveled(p, () => 25);
    expect(Math.max(...after.map((v, i) => Math.abs(v - before[i])))).toBeLessThan(0.5);
  });

  it('counts colour twice', () => {
    const tinted = (by: number): number => {
      const p = strip(() => 120);
      for (let i = 0; i < W * H; i++) if (i % W < 35) p.colour[4 * i + 1] = 128 + by;
      const { after } = leveled(p, () => 25);
      return at(after, 35, 15, 1) - 128;
    };
    expect(tinted(4)).toBeGreaterThan(1);
    expect(Math.abs(tinted(12))).toBeLessThan(0.1);
  });

  it('changes nothing that is known, nor what comes from no one place', () => {
    const p = strip((x) => 150 - x / 2);
    const colour = p.colour.slice();
    const from = new Int32Array(W * H).fill(-1);
    levelSeams(p, colour, from);
    expect(colour).toEqual(p.colour);
    const { after } = leveled(p, () => 25);
    const known = [...p.missing.keys()].filter((i) => p.missing[i] === 0);
    expect(known.every((i) => after[4 * i] === p.colour[4 * i])).toBe(true);
  });
});
