import { randomUUID } from 'node:crypto';
import type { RemovalNode } from '../../contract/document.ts';
import { ellipsePoints, rectanglePoints } from '../../core/shapes/shape.ts';

/** Around the box that walks through the footage of takes.test.ts. */
export const walker = (): RemovalNode => ({
  name: 'Walker',
  rank: 1,
  hidden: false,
  grow: 1,
  featherIn: 0,
  featherOut: 2,
  settings: { reach: 60, light: 100, grain: true },
  shapes: {
    [randomUUID()]: {
      name: 'Box',
      rank: 1,
      kind: 'rectangle',
      operation: 'add',
      keys: {
        0: { ease: 'linear', points: rectanglePoints(15, 55, 55, 135) },
        71: { ease: 'linear', points: rectanglePoints(15 + 71 * 3.2, 55, 55 + 71 * 3.2, 135) },
      },
    },
  },
});

/** A place of that footage's ground, which moves on under it. */
export const spot = (): RemovalNode => ({
  ...walker(),
  name: 'Spot',
  rank: 2,
  shapes: {
    [randomUUID()]: {
      name: 'Spot',
      rank: 1,
      kind: 'ellipse',
      operation: 'add',
      keys: { 0: { ease: 'linear', points: ellipsePoints(160, 30, 12, 9) } },
    },
  },
});
