import { describe, expect, it } from '@jest/globals';
import { identity3, type Matrix3 } from '../geometry/homography.ts';
import type { FrameFormat, FrameReader } from '../image/format.ts';
import { areaOf, at, centreOf, common, union, type MaskPatch } from './maskPatch.ts';
import type { Mover } from './movers.ts';
import { partCrossings } from './partCrossing.ts';

const [W, H, FRAMES] = [160, 60, 60];
const FORMAT: FrameFormat = {
  width: W,
  height: H,
  depth: 8,
  colourPlanes: 3,
  planes: [0, 1, 2].map(() => ({ width: W, height: H, stepX: 1, stepY: 1 })),
};
const still = (): Matrix3 => identity3();
const box = (x: number): MaskPatch => ({ x, y: 10, width: 20, height: 40, data: new Uint8Array(800).fill(1) });

const NONE: MaskPatch = { x: 0, y: 0, width: 0, height: 0, data: new Uint8Array(0) };
const unshaded = (): MaskPatch => NONE;

/** Luma and chroma of somebody's upper and lower half. */
type Clothes = [number, number, number][];
const RED: Clothes = [
  [90, 110, 190],
  [70, 150, 120],
];
const BLUE: Clothes = [
  [100, 180, 100],
  [130, 126, 132],
];

/** One walks right, the other left, and they meet in the middle; the one in front hides the other. */
const places = (t: number): [number, number] => [10 + 2 * t, 130 - 2 * t];

/** A foot of the first, seen between the legs of the other on one frame, away from where it was expected. */
const FOOT = { frame: 27, x: 86, y: 40, side: 6 };
const isFoot = (x: number, y: number): boolean =>
  x >= FOOT.x && x < FOOT.x + FOOT.side && y >= FOOT.y && y < FOOT.y + FOOT.side;

/** Films them, with grain. @param front - Which of them hides the other. */
function film(clothes: [Clothes, Clothes], front: 0 | 1, foot = false): FrameReader {
  const held = new Map<number, Uint8Array>();
  const planeOf = (t: number, plane: number): Uint8Array => {
    const out = Uint8Array.from(
      { length: W * H },
      (_, i) => [60, 128, 128][plane] + ((i * 7919 + t * 1299709 + plane * 15485863) % 9) - 4,
    );
    for (const k of [1 - front, front]) {
      const { x, y, width, height } = box(places(t)[k]);
      for (let v = 0; v < height; v++) {
        const level = clothes[k][v < height / 2 ? 0 : 1][plane];
        for (let i = (y + v) * W + x; i < (y + v) * W + x + width; i++)
          out[i] = level + ((i * 7919 + t * 1299709) % 9) - 4;
      }
    }
    for (let i = 0; i < out.length && foot && t === FOOT.frame; i++)
      if (isFoot(i % W, Math.floor(i / W))) out[i] = clothes[0][1][plane] + ((i * 7919) % 9) - 4;
    return out;
  };
  return {
    format: FORMAT,
    count: FRAMES,
    readRows(t, plane, y, rows, into) {
      const key = t * 3 + plane;
      const whole = held.get(key) ?? planeOf(t, plane);
      held.set(key, whole);
      into.set(whole.subarray(y * W, (y + rows) * W));
    },
  };
}

/** As they are found: while they are one region, the first has all of it, but for a crumb. */
function found(): Mover[] {
  const masks: MaskPatch[][] = [[], []];
  for (let t = 0; t < FRAMES; t++) {
    const [a, b] = places(t).map(box);
    const apart = Math.abs(a.x - b.x) > 21;
    masks[0].push(apart ? a : union(a, b));
    masks[1].push(apart ? b : { x: b.x + 8, y: 20, width: 4, height: 4, data: new Uint8Array(16).fill(1) });
  }
  return masks.map((m) => ({ first: 0, last: FRAMES - 1, masks: m, path: m.map(centreOf), best: 0 }));
}

/** Least agreement of masks with where somebody is seen, over all frames that show at least a quarter of them. */
function agreement(mover: Mover, k: 0 | 1, front: 0 | 1): number {
  let least = 1;
  for (let t = 0; t < FRAMES; t++) {
    const [own, other] = [box(places(t)[k]), box(places(t)[1 - k])];
    const seen: MaskPatch = {
      ...own,
      data: own.data.map((_, i) => (k !== front && at(other, own.x + (i % 20), own.y + Math.floor(i / 20)) ? 0 : 1)),
    };
    if (areaOf(seen) < 200) continue;
    const both = areaOf(common(mover.masks[t], seen));
    least = Math.min(least, both / (areaOf(mover.masks[t]) + areaOf(seen) - both));
  }
  return least;
}

describe('movers that cross', () => {
  it.each([0, 1] as const)('are told apart by what each looks like, whoever is in front (%s)', (front) => {
    const parted = partCrossings(found(), film([RED, BLUE], front), still, unshaded);
    for (const k of [0, 1] as const) expect(agreement(parted[k], k, front)).toBeGreaterThan(0.93);
  });

  it('are told apart where one shows a foot between the legs of the other', () => {
    const [behind] = partCrossings(found(), film([RED, BLUE], 1, true), still, unshaded);
    const mask = behind.masks[FOOT.frame];
    let seen = 0;
    for (let y = 0; y < H; y++) for (let x = 0; x < W; x++) if (isFoot(x, y) && at(mask, x, y)) seen++;
    expect(seen).toBeGreaterThan(0.8 * FOOT.side ** 2);
  });

  it('have together what they had before, and nothing twice', () => {
    const before = found();
    const after = partCrossings(before, film([RED, BLUE], 1), still, unshaded);
    for (let t = 0; t < FRAMES; t++) {
      const [a, b] = after.map((m) => m.masks[t]);
      const had = union(before[0].masks[t], before[1].masks[t]);
      expect(areaOf(union(a, b))).toBe(areaOf(had));
      // But for a dot of who is hidden altogether.
      expect(areaOf(common(a, b))).toBe(t === 30 ? 1 : 0);
    }
    expect(after.map(({ path }) => path.length)).toEqual([FRAMES, FRAMES]);
  });

  it('each keep their shadow, where it lies under the feet of the other too', () => {
    // Both cast strips of 30 px to the right: that of the first reaches the other's long before they meet, and lies under it.
    const strip = (x: number): MaskPatch => ({ x, y: 50, width: 30, height: 6, data: new Uint8Array(180).fill(1) });
    const casts = (t: number, k: 0 | 1): MaskPatch => strip(places(t)[k] + (k === 0 ? 20 : 0));
    const movers = found().map((m, k): Mover => {
      const masks = m.masks.map((mask, t) => {
        const own = union(mask, casts(t, k as 0 | 1));
        const meet = areaOf(common(casts(t, 0), casts(t, 1))) > 0;
        return k === 1 && meet ? union(own, casts(t, 0)) : own;
      });
      return { ...m, masks, path: masks.map(centreOf) };
    });
    const shadeAt = (t: number): MaskPatch => union(casts(t, 0), casts(t, 1));
    const [first, second] = partCrossings(movers, film([RED, BLUE], 1), still, shadeAt);
    for (const t of [20, 22, 24]) {
      const shared = common(casts(t, 0), casts(t, 1));
      expect(areaOf(shared)).toBeGreaterThan(50);
      for (const { masks } of [first, second]) expect(areaOf(common(masks[t], shared))).toBe(areaOf(shared));
    }
  });

  it('go by their ways alone if they look alike', () => {
    const parted = partCrossings(found(), film([RED, RED], 1), still, unshaded);
    // Where the two are one block each has something of it; before and after both are whole.
    expect(areaOf(parted[1].masks[24])).toBeGreaterThan(500);
    expect(areaOf(parted[0].masks[24])).toBeGreaterThan(500);
    for (const t of [0, 18, 45, 59]) expect(areaOf(parted[1].masks[t])).toBe(800);
  });

  it('may meet beyond the border, where nothing is to be seen of them', () => {
    const out = found().map((m): Mover => {
      const masks = m.masks.map((mask, t) => (t > 22 && t < 38 ? { ...mask, x: mask.x + W } : mask));
      return { ...m, masks, path: masks.map(centreOf) };
    });
    const parted = partCrossings(out, film([RED, BLUE], 0), still, unshaded);
    for (const t of [25, 30, 35])
      expect(parted.map((m) => areaOf(m.masks[t]))).toEqual(out.map((m) => areaOf(m.masks[t])));
  });

  it('stay as they were found if neither is ever seen alone', () => {
    const one = (masks: MaskPatch[]): Mover => ({ first: 26, last: 34, masks, path: masks.map(centreOf), best: 26 });
    const together = found().map(({ masks }) => one(masks.slice(26, 35)));
    const parted = partCrossings(together, film([RED, BLUE], 0), still, unshaded);
    expect(parted.map((m) => m.masks.map(areaOf))).toEqual(together.map((m) => m.masks.map(areaOf)));
  });
});
