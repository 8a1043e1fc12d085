import { expect, it } from '@jest/globals';
import { identity3 } from '../geometry/homography.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import type { Around } from './depthPlaces.ts';
import { epipoleOn } from './epipole.ts';
import { facingSlope } from './facing.ts';

const [W, H, HALF] = [480, 320, 240];
const around: Around = { hole: { x: 200, y: 140, width: 80, height: 60 }, cx: 240, cy: 170, scale: 150 };
const SLOPE = [0.01, 0.02] as const;
/** Ways of the camera to the side, by source, and how it is turned and zooms there. */
const WAYS = new Map([
  [1, { way: [1, 0.1], turn: 0.01, zoom: 1.002 }],
  [2, { way: [-2, 0.3], turn: -0.02, zoom: 0.99 }],
  [3, { way: [0.2, 1], turn: 0, zoom: 1.01 }],
]);
const epipoles = new Map([...WAYS].map(([s, { way }]) => [s, epipoleOn(way[0], way[1], 0)]));

/** A camera whose plane comes nearer to the right and downwards: by {@link SLOPE} more than what faces it. */
const camera = {
  data: { width: W, height: H },
  plane: () => identity3(),
  map: (_from: number, to: number, points: Float64Array) => {
    const { way, turn, zoom } = WAYS.get(to)!;
    for (let i = 0; i < points.length; i += 2) {
      const [x, y] = [points[i] - around.cx, points[i + 1] - around.cy];
      const depth = (SLOPE[0] * x + SLOPE[1] * y) / around.scale;
      points[i] = around.cx + zoom * (x - turn * y) + way[0] * depth * HALF;
      points[i + 1] = around.cy + zoom * (y + turn * x) + way[1] * depth * HALF;
    }
  },
} as unknown as CameraMotion;

it('what faces the camera lies at depths that fall as the camera’s plane comes nearer, whatever the turns and zooms', () => {
  const [u, v] = facingSlope(camera, 0, around, epipoles);
  expect(u).toBeCloseTo(-SLOPE[0], 5);
  expect(v).toBeCloseTo(-SLOPE[1], 5);
});

it('is told by depths as small as they are, where one of 1 would lie behind the source', () => {
  const forward = new Map([...epipoles].map(([s, e]) => [s, epipoleOn(e[0], e[1], -2)]));
  const [u, v] = facingSlope(camera, 0, around, forward);
  expect(u).toBeCloseTo(-SLOPE[0], 2);
  expect(v).toBeCloseTo(-SLOPE[1], 2);
});

it('is that of the camera’s plane where no source tells', () => {
  expect(facingSlope(camera, 0, around, new Map())).toEqual([0, 0]);
});
