import { least } from 'd3';
import type { Rect } from '../../core/image/format.ts';
import type { PathPoint } from '../../core/shapes/shape.ts';
import { boundsOf, translate } from './pathEdits.ts';

/** Lining outlines up with one another: by the sides and middles of the boxes around them. Frame px. */

/** A whole picture, whose px centres lie at whole numbers. */
export const pictureBox = ({ width, height }: { width: number; height: number }): Rect => ({
  x: -0.5,
  y: -0.5,
  width,
  height,
});

/** What of a box lies on a line: its left or upper side, its middle, its right or lower side. */
export type Part = 'start' | 'middle' | 'end';
export type Axis = 'x' | 'y';

const SHARES: Record<Part, number> = { start: 0, middle: 0.5, end: 1 };

/** Where a box's sides and middle lie along an axis. */
export const linesOf = (box: Rect, axis: Axis): number[] =>
  Object.values(SHARES).map((share) => placeOf(box, axis, share));

/** An outline moved along one axis until its part lies where the same part of a box does. */
export function lineUp(points: readonly PathPoint[], axis: Axis, part: Part, along: Rect): PathPoint[] {
  const by = placeOf(along, axis, SHARES[part]) - placeOf(boundsOf(points), axis, SHARES[part]);
  return translate(points, axis === 'x' ? by : 0, axis === 'y' ? by : 0);
}

/** What holds a place that is dragged: a line, and how far the place is from it. */
export interface Hold {
  line: number;
  by: number;
}

/** The nearest line to any of some places on an axis, not farther than `within`. */
export function holdOf(places: readonly number[], lines: readonly number[], within: number): Hold | undefined {
  const holds = places.flatMap((place) => lines.map((line) => ({ line, by: line - place })));
  const nearest = least(holds, (hold) => Math.abs(hold.by));
  return nearest && Math.abs(nearest.by) <= within ? nearest : undefined;
}

const placeOf = (box: Rect, axis: Axis, share: number): number =>
  axis === 'x' ? box.x + box.width * share : box.y + box.height * share;
