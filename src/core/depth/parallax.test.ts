import { describe, expect, it } from '@jest/globals';
import { holeParts } from './holeParts.ts';
import { epipoleOf, findParallax, moreDepths, parallaxOf, type View } from './parallax.ts';
import { depthAt, surfacesOf } from './surfaces.ts';

const PX = 1 / 480;

/** Numbers in 0..1, the same each time. */
function dice(seed: number): () => number {
  let state = seed;
  return () => (state = (state * 48271) % 2147483647) / 2147483647;
}

/** Corners spread over the frame: six in ten on the plane, the others on a surface at depth 0.03. */
function world(): { places: Float64Array; depths: Float64Array } {
  const random = dice(5);
  const places = Float64Array.from({ length: 240 }, (_, i) => (i % 2 === 0 ? 2 : 1.1) * (random() - 0.5));
  return { places, depths: Float64Array.from({ length: 120 }, (_, i) => (i % 5 < 3 ? 0 : 0.03)) };
}

/** How a source with epipole e shows the world; every `wrong`-th corner is found in a wrong place. */
function viewOf(e: Float64Array, wrong: number, seed: number): View {
  const { places, depths } = world();
  const random = dice(seed);
  const scale = new Float64Array(depths.length).fill(1);
  const moved = new Float64Array(places.length);
  depths.forEach((depth, i) => {
    const [dx, dy] = parallaxOf(e, places[2 * i], places[2 * i + 1], 1, depth);
    const lost = i % wrong === wrong - 1;
    moved[2 * i] = lost ? 40 * PX * (random() - 0.5) : dx + 0.1 * PX * (random() - 0.5);
    moved[2 * i + 1] = lost ? 40 * PX * (random() - 0.5) : dy + 0.1 * PX * (random() - 0.5);
  });
  return { guess: places, scale, moved };
}

describe('plane and parallax', () => {
  // A way to the side, one obliquely forward, one back: their lengths differ.
  const epipoles = [Float64Array.of(1, 0.1, 0), Float64Array.of(0.3, 0.5, 0.8), Float64Array.of(-0.5, -0.1, -0.3)];
  const views = epipoles.map((e, k) => viewOf(e, 7, 11 + k));

  it('finds depths and epipoles of several sources, though every seventh corner is wrong', () => {
    const found = findParallax(views, PX)!;
    const { places, depths } = world();
    views.forEach((_, k) => {
      const errors = [...depths.keys()].flatMap((i) => {
        if (i % 7 === 6 || Number.isNaN(found.depths[i])) return [];
        const at = [places[2 * i], places[2 * i + 1], 1] as const;
        const [x, y] = parallaxOf(found.epipoles[k]!, ...at, found.depths[i]);
        const [u, v] = parallaxOf(epipoles[k], ...at, depths[i]);
        return [Math.hypot(x - u, y - v) / PX];
      });
      expect(errors.length).toBeGreaterThan(90);
      expect(Math.max(...errors)).toBeLessThan(0.3);
    });
  });

  it('gives no depth to what moves by itself', () => {
    const strange = views.map(({ guess, scale, moved }, k) => {
      const own = moved.slice();
      // One corner goes its own way, another one in each source.
      [own[30], own[31]] = [
        [8 * PX, 0],
        [0, 9 * PX],
        [-7 * PX, 5 * PX],
      ][k];
      return { guess, scale, moved: own };
    });
    expect(findParallax(strange, PX)!.depths[15]).toBeNaN();
  });

  it('finds the epipole of one more source from known depths', () => {
    const e = Float64Array.of(0.2, -0.4, 0.1);
    const found = epipoleOf(viewOf(e, 7, 99), world().depths, PX)!;
    expect(Math.hypot(...found.map((v, i) => v - e[i]))).toBeLessThan(0.02);
  });

  it('gives more corners their depths, and none to those that were found in wrong places', () => {
    const { depths } = world();
    const more = moreDepths(views, { depths: new Float64Array(0), epipoles }, PX);
    depths.forEach((depth, i) => {
      if (i % 7 === 6) expect(more[i]).toBeNaN();
      else expect(Math.abs(more[i] - depth)).toBeLessThan(0.3 * PX);
    });
  });

  it('finds nothing where all lies on the plane', () => {
    const flat = viewOf(Float64Array.of(0, 0, 0), 1000, 3);
    expect(findParallax([flat, flat], PX)).toBeUndefined();
  });
});

describe('surfaces', () => {
  it('tells two planes and their slopes from scattered depths', () => {
    const random = dice(17);
    const places = Float64Array.from({ length: 160 }, () => 2 * random() - 1);
    const truth = (i: number): number =>
      i % 3 === 0 ? 5 + 0.5 * places[2 * i] : i % 10 === 1 ? 40 * random() : -1 + 0.3 * places[2 * i + 1];
    const depths = Float64Array.from({ length: 80 }, (_, i) => truth(i) + 0.05 * (random() - 0.5));
    const found = surfacesOf(places, depths, new Float64Array(80).fill(1), 0.3);
    expect(found.length).toBeGreaterThanOrEqual(2);
    expect(depthAt(found[0], 0.5, 0.5)).toBeCloseTo(-0.85, 1);
    expect(depthAt(found[1], 0.5, 0.5)).toBeCloseTo(5.25, 1);
  });

  it('finds a slanted one of few corners if it is as slanted as what faces the camera, or as a surface known before', () => {
    const random = dice(41);
    const places = Float64Array.from({ length: 120 }, () => 2 * random() - 1);
    // Three quarters lie on one slanted plane, the others, which hardly count, on a parallel one.
    const isFew = (i: number): boolean => i % 4 === 3;
    const depths = Float64Array.from({ length: 60 }, (_, i) => (isFew(i) ? -6 : 6) + 9 * places[2 * i + 1]);
    const weights = Float64Array.from({ length: 60 }, (_, i) => (isFew(i) ? 0.3 : 1));
    const few = Float64Array.from(depths, (d, i) => (isFew(i) ? d : NaN));
    expect(surfacesOf(places, depths, weights, 0.4).map((c) => Math.round(depthAt(c, 0, 0)))).toEqual([6, -6]);
    expect(surfacesOf(places, few, weights, 0.4, [0, 9]).map((c) => Math.round(depthAt(c, 0, 0)))).toEqual([-6]);
    const known = Float64Array.of(6, 0, 9);
    expect(surfacesOf(places, depths, weights, 0.4, [0, 0], [known])[0]).toBe(known);
  });

  it('finds none among depths that have nothing in common', () => {
    const random = dice(23);
    const places = Float64Array.from({ length: 60 }, () => 2 * random() - 1);
    const depths = Float64Array.from({ length: 30 }, (_, i) => 100 * i);
    expect(surfacesOf(places, depths, new Float64Array(30).fill(1), 0.3)).toEqual([]);
  });
});

it('divides a hole into parts that lie apart, each with its rim', () => {
  // prettier-ignore
  const active = Uint8Array.of(
    1, 1, 1, 0, 0, 0, 0, 0, 0,
    1, 2, 1, 0, 0, 0, 0, 1, 1,
    1, 1, 1, 0, 0, 0, 0, 1, 2,
  );
  const parts = holeParts(active, 9, 3);
  expect(parts.map((p) => p.box)).toEqual([
    { x: 1, y: 1, width: 1, height: 1 },
    { x: 8, y: 2, width: 1, height: 1 },
  ]);
  expect(parts.map((p) => p.tiles.length)).toEqual([9, 4]);
});
