import { describe, expect, it } from '@jest/globals';
import { box, still } from '../testing/movingFilm.ts';
import { linkRegions } from './linkRegions.ts';
import { areaOf, union, type MaskPatch } from './maskPatch.ts';
import { parted } from './partedTrails.ts';

const SIZE = { width: 240, height: 100 };
const never = (): boolean => false;
/** Two who walk away from where they met; their shadow makes them one region in the first frames. */
const right = (t: number): MaskPatch => box(110 + 3 * t, 20, 16, 40);
const left = (t: number): MaskPatch => box(108 - 3 * t, 22, 16, 40);
const met = Array.from({ length: 30 }, (_, t) =>
  t < 8 ? [union(union(right(t), left(t)), box(108 - 3 * t, 58, 18 + 6 * t, 4))] : [right(t), left(t)],
);

describe('two that were one region when they were first seen', () => {
  const linked = linkRegions(met, still, SIZE, never);

  it('are followed as one', () => {
    expect(linked).toHaveLength(1);
  });

  it('become two when they have come apart, from the first frame on', () => {
    const trails = parted(linked, still, SIZE, never);
    expect(trails).toHaveLength(2);
    for (const { masks, centres } of trails) {
      expect([...masks.keys()]).toEqual(Array.from({ length: 30 }, (_, t) => t));
      const way = centres.get(29)!.x - centres.get(0)!.x;
      expect(Math.abs(Math.abs(way) - 87)).toBeLessThan(6);
      expect(areaOf(masks.get(29)!)).toBe(640);
    }
  });

  it('are told as parts of one thing from frames in their order', () => {
    const asked: number[][] = [];
    parted(linked, still, SIZE, (together) => asked.push(together.map(({ frame }) => frame)) < 0);
    expect(asked[0][0]).toBe(8);
    expect(asked[0].at(-1)).toBe(29);
  });
});

describe('what is one thing', () => {
  it('stays one, though a scrap of it lies apart, or its parts lie near each other', () => {
    const walker = (t: number): MaskPatch => box(20 + 3 * t, 20, 16, 40);
    const scrap = (t: number): MaskPatch => union(walker(t), box(180, 20, 6, 10));
    const legs = (t: number): MaskPatch => union(walker(t), box(20 + 3 * t, 61, 16, 20));
    for (const film of [scrap, legs]) {
      const trail = linkRegions(
        Array.from({ length: 20 }, (_, t) => [film(t)]),
        still,
        SIZE,
        never,
      );
      expect(parted(trail, still, SIZE, never)).toEqual(trail);
    }
  });
});
