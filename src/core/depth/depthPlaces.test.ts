import { describe, expect, it } from '@jest/globals';
import { stillCamera } from '../testing/evenStretch.ts';
import { mapOnSurface, TriedSurfaces, type PlacedSurface, type StretchDepth } from './depthPlaces.ts';
import { epipoleOn } from './epipole.ts';

const rect = { x: 0, y: 0, width: 64, height: 64 };
const around = { hole: rect, cx: 100, cy: 80, scale: 50 };
const onDepths = (...surface: number[]): PlacedSurface => ({ around, surface: Float64Array.from(surface) });
const far = onDepths(0.02, 0, 0);
const aslant = onDepths(0.1, 0.03, -0.02);

const depth = (): StretchDepth => ({
  ...{ frame: 2, rect, cols: 4, rows: 4, tiles: new Uint8Array(16), surfaces: [], nearer: 0 },
  epipoles: new Map([[5, epipoleOn(0.3, -0.1, 0.05)]]),
});

const A = Float32Array.of(90, 70, 120, 95, 60, 110);
const B = Float32Array.of(91, 70, 120, 95, 60, 110);

/** Where both say that places of a surface are. */
function both(tried: TriedSurfaces, of: StretchDepth, placed: PlacedSurface, to: number, places: Float32Array) {
  const [one, other] = [places.slice(), places.slice()];
  const known = [tried.map(placed, to, one), mapOnSurface(stillCamera, of, placed, to, other)];
  return { one: [...one], other: [...other], known };
}

describe('surfaces that are tried one after the other', () => {
  it('lie where they do by themselves, whatever was asked before', () => {
    const of = depth();
    const tried = new TriedSurfaces(stillCamera, of);
    for (const places of [A, A, B, A.slice(0, 4), A]) {
      for (const placed of [far, aslant, far]) {
        const { one, other, known } = both(tried, of, placed, 5, places);
        expect(one).toEqual(other);
        expect(known).toEqual([true, true]);
      }
    }
    const [onFar, onAslant] = [far, aslant].map((placed) => both(tried, of, placed, 5, A).one);
    expect(onFar).not.toEqual(onAslant);
  });

  it('go by what is known of the camera now', () => {
    const of = depth();
    const tried = new TriedSurfaces(stillCamera, of);
    const before = both(tried, of, aslant, 5, A).one;
    of.epipoles.set(5, epipoleOn(-0.2, 0.4, 0));
    const { one, other } = both(tried, of, aslant, 5, A);
    expect(one).toEqual(other);
    expect(one).not.toEqual(before);
  });

  it('are known in no frame of which no epipole is', () => {
    const of = depth();
    const { one, other, known } = both(new TriedSurfaces(stillCamera, of), of, far, 7, A);
    expect(known).toEqual([false, false]);
    expect(one).toEqual(other);
  });
});
