import { describe, expect, it } from '@jest/globals';
import { box, still } from '../testing/movingFilm.ts';
import type { Together } from './areParts.ts';
import { linkRegions } from './linkRegions.ts';
import { areaOf, union, type MaskPatch } from './maskPatch.ts';

const SIZE = { width: 200, height: 100 };
const never = (): boolean => false;
const left = (t: number): number => 10 + 3 * t;
const upper = (t: number): MaskPatch => box(left(t), 20, 20, 20);
const lower = (t: number): MaskPatch => box(left(t), 41, 20, 20);
const whole = (t: number): MaskPatch => box(left(t), 20, 20, 41);

/** Two parts until frame 9, then one region, and parts again at times. */
const falling = Array.from({ length: 30 }, (_, t) => (t < 10 || t % 6 === 0 ? [upper(t), lower(t)] : [whole(t)]));

describe('trails of regions', () => {
  it('become one when their regions are one, if they are parts of one thing', () => {
    const asked: (readonly Together[])[] = [];
    const trails = linkRegions(falling, still, SIZE, (together) => asked.push(together) > 0);
    expect(asked.map((together) => together.map(({ frame }) => frame))).toEqual([[0, 1, 2, 3, 4, 5, 6, 7, 8, 9]]);
    const { a, b } = asked[0][4];
    expect(areaOf(union(a, b))).toBe(areaOf(union(upper(4), lower(4))));
    expect(trails).toHaveLength(1);
    const [{ masks }] = trails;
    expect([4, 13, 18, 25].map((t) => areaOf(masks.get(t)!))).toEqual([800, 820, 800, 820]);
  });

  it('stay two if they are not, and are asked again as they go on', () => {
    let asked = 0;
    const trails = linkRegions(falling, still, SIZE, () => ++asked < 0);
    expect(trails).toHaveLength(2);
    expect(asked).toBe(4);
    for (const { masks } of trails) expect(areaOf(masks.get(18)!)).toBe(400);
  });

  it('go on as they went while they cross, though more is seen of them just before', () => {
    // From frame 4 to 12 a shadow before it is one with it; on the next two it is seen with a bag; and then it passes before something.
    const shadow = (t: number): MaskPatch => box(left(t) + 24, 58, 40, 6);
    const bag = (t: number): MaskPatch => box(left(t) - 10, 30, 10, 31);
    const rests = box(76, 20, 60, 20);
    const seen = (t: number): MaskPatch[] => {
      if (t < 4) return [whole(t), shadow(t)];
      if (t < 13) return [union(box(left(t), 20, 24, 41), shadow(t))];
      return t < 15 ? [union(whole(t), bag(t)), shadow(t)] : [union(whole(t), union(bag(t), rests))];
    };
    const frames = Array.from({ length: 30 }, (_, t) => (t < 15 ? [...seen(t), rests] : seen(t)));
    const trails = linkRegions(frames, still, SIZE, never);
    const own = trails.find(({ masks }) => masks.has(0) && areaOf(masks.get(0)!) === 820)!;
    for (const t of [20, 25, 29]) expect(Math.abs(own.centres.get(t)!.x - (left(t) + 5.4))).toBeLessThan(3);
  });
});
