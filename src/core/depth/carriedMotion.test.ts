import { describe, expect, it } from '@jest/globals';
import { evenStretch, stillCamera } from '../testing/evenStretch.ts';
import { CarriedMotion } from './carriedMotion.ts';
import { DepthMotion } from './depthMotion.ts';
import type { StretchDepth } from './depthPlaces.ts';
import { CAMERA_PLANE } from './frameMap.ts';
import type { TiledRegion } from './tiledRegion.ts';

/** One tile of a frame. */
const tileOf = (frame: number): TiledRegion => ({
  frame,
  rect: { x: 160, y: 160, width: 16, height: 16 },
  cols: 1,
  rows: 1,
  active: Uint8Array.of(2),
});
const MIDDLE = 168;

/** Frames that a stretch knows: its own, and those up to the keys beside it. */
const around = (key: number): number[] => [-3, -2, -1, 0, 1, 2, 3].map((d) => key + d);

/** How far to the right a place of the tile lies in another frame. */
function movesBy(motion: DepthMotion | CarriedMotion, from: number, to: number): number {
  motion.lay(tileOf(from));
  const points = Float64Array.of(MIDDLE, MIDDLE);
  motion.map(from, to, points, motion.surfaces(from)![0]);
  expect(points[1]).toBeCloseTo(MIDDLE, 6);
  return points[0] - MIDDLE;
}

describe('what lies off the camera’s plane, carried far', () => {
  const stretches = [0, 4, 8].map((key) => evenStretch(key, 1, around(key)));

  it('goes from stretch to stretch, where one alone does not know the frame', () => {
    expect(movesBy(new DepthMotion(stillCamera, stretches), 1, 10)).toBeCloseTo(0, 6);
    expect(movesBy(new CarriedMotion(stillCamera, stretches), 1, 10)).toBeCloseTo(9, 3);
  });

  it('goes back in time, too', () => {
    expect(movesBy(new CarriedMotion(stillCamera, stretches), 9, 0)).toBeCloseTo(-9, 3);
  });

  it('keeps to its surface, whatever number that has in another stretch', () => {
    const [, middle] = stretches;
    const [own] = middle.surfaces;
    const other = { ...own, surface: Float64Array.of(0.1, 0, 0) };
    const second: StretchDepth = { ...middle, surfaces: [other, own], tiles: middle.tiles.map(() => 2) };
    const motion = new CarriedMotion(stillCamera, [stretches[0], second, stretches[2]]);
    expect(movesBy(motion, 1, 10)).toBeCloseTo(9, 3);
  });

  it('moves on evenly from frame to frame, though the stretches do not say quite the same', () => {
    const uneven = [evenStretch(0, 1, around(0)), evenStretch(4, 1.1, around(4)), evenStretch(8, 1, around(8))];
    const motion = new CarriedMotion(stillCamera, uneven);
    const places = [0, 1, 2, 3, 4, 5, 6, 7, 8].map((t) => movesBy(motion, t, 10));
    for (let t = 1; t < places.length; t++) expect(Math.abs(places[t - 1] - places[t] - 1)).toBeLessThan(0.3);
  });

  it('passes over a stretch that shares no frame with the one before', () => {
    const lonely = evenStretch(4, 7, [4]);
    const far = [...around(0), 4, 5, 6, 7];
    const motion = new CarriedMotion(stillCamera, [evenStretch(0, 1, far), { ...lonely, frame: 40 }, stretches[2]]);
    expect(movesBy(motion, 1, 10)).toBeCloseTo(9, 3);
  });

  it('is the camera’s plane where no depth is known', () => {
    const motion = new CarriedMotion(stillCamera);
    motion.lay(tileOf(1));
    expect(motion.surfaces(1)).toBeUndefined();
    const points = Float64Array.of(5, 6);
    motion.map(1, 9, points, CAMERA_PLANE);
    expect([...points]).toEqual([5, 6]);
  });
});
