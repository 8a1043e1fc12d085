import { describe, expect, it } from '@jest/globals';
import { holeParts } from './holeParts.ts';
import { epipoleOn, parallaxOf, putRight, type Epipole, type View } from './epipole.ts';
import { findParallax, likeliest, moreDepths, withOneMore, type Known } from './parallax.ts';
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

/** How far a source shows a place from where the camera's motion puts it. */
function movedBy(e: Epipole, x: number, y: number, depth: number): [number, number] {
  const [gx, gy, w] = putRight(e, x, y, x, y, 1);
  const [dx, dy] = parallaxOf(e, gx, gy, w, depth);
  return [gx + dx - x, gy + dy - y];
}

/** How a source with epipole e shows the world; every `wrong`-th corner is found in a wrong place. */
function viewOf(e: Epipole, wrong: number, seed: number, { places, depths } = world()): View {
  const random = dice(seed);
  const scale = new Float64Array(depths.length).fill(1);
  const moved = new Float64Array(places.length);
  depths.forEach((depth, i) => {
    const [dx, dy] = movedBy(e, places[2 * i], places[2 * i + 1], depth);
    const lost = i % wrong === wrong - 1;
    moved[2 * i] = lost ? 40 * PX * (random() - 0.5) : dx + 0.1 * PX * (random() - 0.5);
    moved[2 * i + 1] = lost ? 40 * PX * (random() - 0.5) : dy + 0.1 * PX * (random() - 0.5);
  });
  return { places, guess: places, scale, moved };
}

/** Sources that show depths as they are. */
const knownBy = (views: View[], epipoles: Epipole[], depths: Float64Array): Known => ({ views, epipoles, depths });

describe('plane and parallax', () => {
  // A way to the side, one obliquely forward, one back: their lengths differ.
  const epipoles = [epipoleOn(1, 0.1, 0), epipoleOn(0.3, 0.5, 0.8), epipoleOn(-0.5, -0.1, -0.3)];
  const views = epipoles.map((e, k) => viewOf(e, 7, 11 + k));

  it('finds depths and epipoles of several sources, though every seventh corner is wrong', () => {
    const found = findParallax(views, PX)!;
    const { places, depths } = world();
    views.forEach((_, k) => {
      const errors = [...depths.keys()].flatMap((i) => {
        if (i % 7 === 6 || Number.isNaN(found.depths[i])) return [];
        const at = [places[2 * i], places[2 * i + 1]] as const;
        const [x, y] = movedBy(found.epipoles[k]!, ...at, found.depths[i]);
        const [u, v] = movedBy(epipoles[k], ...at, depths[i]);
        return [Math.hypot(x - u, y - v) / PX];
      });
      expect(errors.length).toBeGreaterThan(90);
      expect(Math.max(...errors)).toBeLessThan(0.3);
    });
  });

  it('finds the depths of many corners by some of them', () => {
    const some = world();
    const many = {
      places: Float64Array.from({ length: 5 * some.places.length }, (_, i) => some.places[i % some.places.length]),
      depths: Float64Array.from({ length: 5 * some.depths.length }, (_, i) => some.depths[i % some.depths.length]),
    };
    const found = findParallax(
      epipoles.map((e, k) => viewOf(e, 7, 11 + k, many)),
      PX,
    )!;
    const deep = [...found.depths].filter((d, i) => i % 5 >= 3 && i % 7 !== 6 && !Number.isNaN(d));
    expect(found.depths.length).toBe(600);
    expect(deep.length).toBeGreaterThan(180);
    expect(Math.max(...deep) / Math.min(...deep)).toBeLessThan(1.1);
  });

  it('gives no depth to what moves by itself', () => {
    const strange = views.map(({ places, guess, scale, moved }, k) => {
      const own = moved.slice();
      // One corner goes its own way, another one in each source.
      [own[30], own[31]] = [
        [8 * PX, 0],
        [0, 9 * PX],
        [-7 * PX, 5 * PX],
      ][k];
      return { places, guess, scale, moved: own };
    });
    expect(findParallax(strange, PX)!.depths[15]).toBeNaN();
  });

  it('finds the epipole of one more source from known depths', () => {
    const e = epipoleOn(0.2, -0.4, 0.1);
    const found = likeliest(viewOf(e, 7, 99), knownBy(views, epipoles, world().depths), PX)!;
    expect(Math.hypot(...found.map((v, i) => v - e[i]))).toBeLessThan(0.02);
  });

  it('gives more corners their depths, and none to those that were found in wrong places', () => {
    const { depths } = world();
    const more = moreDepths(views, epipoles, PX);
    depths.forEach((depth, i) => {
      if (i % 7 === 6) expect(more[i]).toBeNaN();
      else expect(Math.abs(more[i] - depth)).toBeLessThan(0.3 * PX);
    });
  });

  it('finds nothing where all lies on the plane', () => {
    const flat = viewOf(epipoleOn(0, 0, 0), 1000, 3);
    expect(findParallax([flat, flat], PX)).toBeUndefined();
  });
});

describe('where nothing fills most of the picture', () => {
  /** A wall, posts before it, what is far behind, and the ground, which comes nearer downwards. */
  const layered = (): ReturnType<typeof world> => {
    const { places } = world();
    const depthOf = (i: number): number => [0, 0.05, -0.04, 0.01 + 0.06 * places[2 * i + 1]][i % 4];
    return { places, depths: Float64Array.from({ length: 120 }, (_, i) => depthOf(i)) };
  };
  /** A camera that goes to the side, and whose motion is off by up to some px, more the farther it went. */
  const goneBy = (way: number): Epipole =>
    Float64Array.of(...[1, 0.02, 0.03, 0, 0.008, -0.004, 0.009, 0.006, -0.01, 0.012, 0.008].map((v) => v * way));
  const ways = [-0.9, -0.45, -0.15, 0.15, 0.45, 0.9];
  const { places, depths } = layered();
  const views = ways.map((way, k) => viewOf(goneBy(way), 7, 31 + k, layered()));
  /** How far each corner is put from where it is shown, px. */
  const errorsIn = (k: number, e: Epipole, found: Float64Array): number[] =>
    [...found.keys()].flatMap((i) => {
      if (i % 7 === 6 || Number.isNaN(found[i])) return [];
      const [x, y] = movedBy(e, places[2 * i], places[2 * i + 1], found[i]);
      const [u, v] = movedBy(goneBy(ways[k]), places[2 * i], places[2 * i + 1], depths[i]);
      return [Math.hypot(x - u, y - v) / PX];
    });

  it('puts the camera’s motion right by depths that all sources share', () => {
    const found = findParallax(views, PX)!;
    const measured = found.epipoles.flatMap((e, k) => (e ? [errorsIn(k, e, found.depths)] : []));
    expect(measured.length).toBeGreaterThan(3);
    for (const errors of measured) {
      expect(errors.length).toBeGreaterThan(90);
      expect(Math.max(...errors)).toBeLessThan(0.4);
    }
  });

  it('does so for one more source', () => {
    const others = [0, 2, 3];
    const known = knownBy(
      others.map((k) => views[k]),
      others.map((k) => goneBy(ways[k])),
      depths,
    );
    const found = likeliest(views[1], known, PX)!;
    expect(Math.max(...errorsIn(1, found, depths))).toBeLessThan(0.3);
  });

  it('tells depths more exactly by a source farther away, though they put its corners beside where it shows them', () => {
    const random = dice(77);
    const near = [-0.05, 0.05];
    // Known to a tenth of a px in the near sources: up to four px in the far one.
    const rough = depths.map((d) => d + (4 * PX * (random() - 0.5)) / 0.9);
    const known = knownBy(
      near.map((way, k) => viewOf(goneBy(way), 1e9, 51 + k, layered())),
      near.map(goneBy),
      rough,
    );
    const more = withOneMore(known, views[5], likeliest(views[5], known, PX)!, PX)!;
    const errors = errorsIn(5, more.epipoles[2], more.depths);
    expect(Math.max(...errorsIn(5, goneBy(0.9), rough))).toBeGreaterThan(1.5);
    expect(errors.length).toBeGreaterThan(90);
    expect(Math.max(...errors)).toBeLessThan(0.4);
  });

  it('takes no source that shows something else', () => {
    const random = dice(78);
    const known = knownBy(views.slice(0, 3), ways.slice(0, 3).map(goneBy), depths);
    const strange = { ...views[5], moved: views[5].moved.map(() => 30 * PX * (random() - 0.5)) };
    const e = likeliest(strange, known, PX) ?? goneBy(0.9);
    expect(withOneMore(known, strange, e, PX)).toBeUndefined();
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
