import { describe, expect, it } from '@jest/globals';
import { freeMotions, shiftAt, type MovedCorners } from './freeMotion.ts';

const SOURCES = [0, 2, 4, 6, 14, 16, 18, 20];
const FRAME = 10;

/** Corners on a grid: the left ones go to the right, the right ones down and apart, faster the farther the source. */
function twoGroups(found: (source: number, corner: number) => boolean = () => true): MovedCorners {
  const places = Float64Array.from({ length: 2 * 60 }, (_, k) => {
    const i = k >> 1;
    return k % 2 === 0 ? ((i % 10) - 4.5) / 5 : (Math.floor(i / 10) - 2.5) / 3;
  });
  const moved = new Map(
    SOURCES.map((source) => {
      const away = source - FRAME;
      const shifts = Float64Array.from(places, (_, k) => {
        const [u, v] = [places[k & ~1], places[k | 1]];
        if (!found(source, k >> 1)) return NaN;
        if (u < 0) return k % 2 === 0 ? 0.6 * away : 0;
        return k % 2 === 0 ? 0.2 * away * u : away * (0.5 + 0.3 * v);
      });
      return [source, shifts] as const;
    }),
  );
  return { places, counts: new Float64Array(60).fill(1), moved };
}

const motionsOf = (corners: MovedCorners): ReturnType<typeof freeMotions> => freeMotions(corners, FRAME, SOURCES, 0.5);

describe('freeMotions', () => {
  it('tells two groups apart that no common epipole explains, each with its own affine map per source', () => {
    const motions = motionsOf(twoGroups());
    expect(motions.length).toBe(2);
    const at = (source: number, u: number, v: number): number[][] =>
      motions.map((m) => [...shiftAt(m.get(source)!, u, v)].map((x) => Math.round(x * 20) / 20 + 0));
    expect(at(20, 0.5, 0.5)).toContainEqual([1, 6.5]);
    expect(at(20, -0.5, 0.5)).toContainEqual([6, 0]);
    expect(at(0, -0.5, -0.5)).toContainEqual([-6, 0]);
  });

  it('is not misled by corners that move by themselves', () => {
    const corners = twoGroups();
    for (const [source, shifts] of corners.moved) {
      for (let i = 0; i < 60; i += 7) shifts.set([((i * source) % 13) - 6, ((i + 3 * source) % 11) - 5], 2 * i);
    }
    const motions = motionsOf(corners);
    expect(motions.length).toBe(2);
    const moves = motions.map((m) => m.get(20)![0]).sort((a, b) => a - b);
    expect(moves[0]).toBeCloseTo(0, 1);
    expect(moves[1]).toBeCloseTo(6, 1);
  });

  it('looks at far sources: what moves alike near by alone is no group', () => {
    const near = [8, 9, 11, 12];
    const corners = twoGroups();
    const moved = new Map(corners.moved);
    for (const s of near) moved.set(s, new Float64Array(120));
    const motions = freeMotions({ ...corners, moved }, FRAME, [...SOURCES, ...near], 0.5);
    expect(motions.length).toBe(2);
  });

  it('passes evenly over a source that hides the corners, and says nothing beyond the last that shows them', () => {
    const [hiding, last] = [18, 20];
    const motions = motionsOf(twoGroups((source) => source !== hiding && source !== last));
    for (const m of motions) expect(m.has(last)).toBe(false);
    const between = motionsOf(twoGroups((source) => source !== hiding));
    const rightwards = between.find((m) => Math.abs(m.get(20)![0]) > 3)!;
    expect(shiftAt(rightwards.get(hiding)!, -0.5, 0)[0]).toBeCloseTo(4.8, 1);
  });

  it('drops a group that most sources do not show', () => {
    expect(motionsOf(twoGroups((source, i) => i % 10 < 5 || source < 4)).length).toBe(1);
  });

  it('finds nothing where next to no corners are', () => {
    const { places, counts, moved } = twoGroups();
    const few = {
      places: places.slice(0, 12),
      counts: counts.slice(0, 6),
      moved: new Map([...moved].map(([s, m]) => [s, m.slice(0, 12)])),
    };
    expect(motionsOf(few)).toEqual([]);
  });
});
