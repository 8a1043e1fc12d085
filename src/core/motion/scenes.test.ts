import { expect, it } from '@jest/globals';
import { identity3 } from '../geometry/homography.ts';
import type { Link } from './links.ts';
import { cutsOf, isCut, scenesOf } from './scenes.ts';

const link = (from: number, to: number, inliers: number, likeness: number): Link => ({
  from,
  to,
  matches: new Float32Array(0),
  fit: { matrix: identity3(), model: 'homography', inliers, scale: 0 },
  likeness,
});

/** Good links between all neighbours of `count` frames, but for the given ones. */
const neighbours = (count: number, cut: number[], likeness: number): Link[] =>
  Array.from({ length: count - 1 }, (_, t) =>
    link(t, t + 1, cut.includes(t + 1) ? 3 : 100, cut.includes(t + 1) ? likeness : 1),
  );

it('parts a film where neighbours share neither points nor picture', () => {
  const scenes = scenesOf(6, neighbours(6, [4], 0.2));
  expect([...scenes]).toEqual([0, 0, 0, 0, 4, 4]);
  expect(cutsOf(scenes)).toEqual([4]);
});

it('does not part a film whose pictures are alike, though no point is found: a fog, a wall', () => {
  expect(cutsOf(scenesOf(6, neighbours(6, [1, 2, 3], 0.9)))).toEqual([]);
});

it('joins what lies before and after a flash again', () => {
  const far = [link(0, 4, 60, 1), link(1, 5, 10, 1)];
  const scenes = scenesOf(6, [...neighbours(6, [2, 4], 0), ...far]);
  expect([...scenes]).toEqual([0, 0, 2, 2, 0, 0]);
  expect(cutsOf(scenes)).toEqual([2, 4]);
});

it('does not call frames far apart a cut', () => {
  expect(isCut(link(0, 16, 0, 0))).toBe(false);
});
