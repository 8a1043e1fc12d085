import { describe, expect, it } from '@jest/globals';
import type { TileWindow } from './tileWindows.ts';
import { missedSurface } from './missedSurface.ts';
import { depthAt, type Surface } from './surfaces.ts';

const tiles: TileWindow[] = [0, 1, 2, 3, 4].map((tile) => ({ tile, x: 16 * tile, y: 0 }));
const before = tiles.map(() => 90);
const sweep = { slope: [0, 0.4], from: -1, to: 3, unit: 0.1 } as const;

/** Sources agree about some tiles where a surface has a depth, and are as far apart as before elsewhere. */
const agreeing =
  (about: readonly number[], depth: number) =>
  (surface: Surface, some: readonly TileWindow[]): Float64Array =>
    Float64Array.from(some, ({ tile }) =>
      about.includes(tile) ? Math.min(90, 2 + 4000 * (depthAt(surface, 0, 0) - depth) ** 2) : 90,
    );

describe('a surface that no corners tell of', () => {
  it('lies where the sources agree about most tiles, and is slanted as what faces the camera', () => {
    const found = missedSurface(tiles, before, agreeing([0, 1, 2, 3], 1.337), sweep)!.surface;
    expect(found[0]).toBeCloseTo(1.337, 1);
    expect([...found.subarray(1)]).toEqual(sweep.slope);
  });

  it('is none where they agree about two tiles, nowhere, or hardly better than before', () => {
    expect(missedSurface(tiles, before, agreeing([1, 2], 1), sweep)).toBeUndefined();
    expect(missedSurface(tiles, before, agreeing([0, 1, 2, 3], 7), sweep)).toBeUndefined();
    const hardly = (_: Surface, some: readonly TileWindow[]): Float64Array => new Float64Array(some.length).fill(60);
    expect(missedSurface(tiles, before, hardly, sweep)).toBeUndefined();
    const unknown = (_: Surface, some: readonly TileWindow[]): Float64Array => new Float64Array(some.length).fill(NaN);
    expect(missedSurface(tiles, before, unknown, sweep)).toBeUndefined();
  });

  it('is found at the one depth at which few tiles show a thin thing', () => {
    const only = (surface: Surface, some: readonly TileWindow[]): Float64Array =>
      Float64Array.from(some, () => Math.min(90, 2 + 1e6 * (depthAt(surface, 0, 0) - 1.35) ** 2));
    const found = missedSurface(tiles, before, only, { ...sweep, unit: 0.01 });
    expect(found?.surface[0]).toBeCloseTo(1.35, 2);
  });

  it('is looked for elsewhere where it has been found before', () => {
    const [first, second] = [agreeing([0, 1, 2, 3], 1.3), agreeing([1, 2, 4], 0.2)];
    const either = (surface: Surface, some: readonly TileWindow[]): Float64Array => {
      const other = second(surface, some);
      return first(surface, some).map((v, t) => Math.min(v, other[t]));
    };
    const found = missedSurface(tiles, before, either, sweep)!;
    expect(found.surface[0]).toBeCloseTo(1.3, 1);
    const other = missedSurface(tiles, before, either, sweep, [found.met])!;
    expect(other.surface[0]).toBeCloseTo(0.2, 1);
    expect(missedSurface(tiles, before, either, sweep, [found.met, other.met])).toBeUndefined();
  });
});
