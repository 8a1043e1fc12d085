import { middleOf, multiply3, project, type Matrix3, type Point } from '../geometry/homography.ts';

/** Parts of a region's motion that a tracker may solve for. */
export const TRACK_PARTS = ['shift', 'scale', 'rotation', 'shear', 'perspective'] as const;
export type TrackPart = (typeof TRACK_PARTS)[number];

/** Parameters of each part, as indices into {@link Motion}. */
const PARAMETERS: Record<TrackPart, number[]> = {
  shift: [0, 1],
  scale: [2],
  rotation: [3],
  shear: [4, 5],
  perspective: [6, 7],
};

/**
 * Motion of a region since its anchor: shift x, shift y, log of scale, angle (radians, clockwise on the screen), stretch,
 * slant, and the two entries of perspective. Lengths in units of the region's half size about its middle.
 */
export type Motion = Float64Array;
export const STILL = (): Motion => new Float64Array(8);

/** Corners in px of a frame, in order around the region. */
export type Quad = readonly [Point, Point, Point, Point];

/** A region's middle and half size in px of the anchor's frame: the space in which its motion is counted. */
export interface RegionSpace {
  cx: number;
  cy: number;
  half: number;
}

export function regionSpace(quad: Quad): RegionSpace {
  const { x: cx, y: cy } = middleOf(quad);
  return { cx, cy, half: Math.max(1, Math.sqrt(Math.abs(quadArea(quad))) / 2) };
}

/** Signed area, px². */
export function quadArea(q: readonly Point[]): number {
  let sum = 0;
  q.forEach((p, i) => {
    const n = q[(i + 1) % q.length];
    sum += p.x * n.y - n.x * p.y;
  });
  return sum / 2;
}

/** A model by its richest part: it includes the ones before. */
export const partsUpTo = (part: TrackPart): TrackPart[] => TRACK_PARTS.slice(0, TRACK_PARTS.indexOf(part) + 1);

export const parametersOf = (parts: readonly TrackPart[]): number[] => parts.flatMap((p) => PARAMETERS[p]);

/** Matrix from px of the anchor's frame to px of the frame that the motion leads to. */
export function motionMatrix(m: Motion, s: RegionSpace): Matrix3 {
  const [cos, sin] = [Math.cos(m[3]) * Math.exp(m[2]), Math.sin(m[3]) * Math.exp(m[2])];
  const bend = [1 + m[4], m[5], 0, m[5], 1 - m[4], 0, m[6], m[7], 1];
  const turned = multiply3([cos, -sin, m[0], sin, cos, m[1], 0, 0, 1], bend);
  const toUnit = [1 / s.half, 0, -s.cx / s.half, 0, 1 / s.half, -s.cy / s.half, 0, 0, 1];
  return multiply3([s.half, 0, s.cx, 0, s.half, s.cy, 0, 0, 1], multiply3(turned, toUnit));
}

export const mapQuad = (m: ArrayLike<number>, q: Quad): Quad => q.map((p) => project(m, p.x, p.y)) as unknown as Quad;

/** Whether a place lies inside a polygon (even-odd). */
export function inside(q: readonly Point[], x: number, y: number): boolean {
  let odd = false;
  for (let i = 0, j = q.length - 1; i < q.length; j = i++) {
    if (q[i].y > y !== q[j].y > y && x < ((q[j].x - q[i].x) * (y - q[i].y)) / (q[j].y - q[i].y) + q[i].x) odd = !odd;
  }
  return odd;
}
