import { contours } from 'd3-contour';
import simplify from 'simplify-js';
import type { Point } from '../core/geometry/homography.ts';
import type { MaskPatch } from '../core/movers/maskPatch.ts';

/** Outlines smaller than this share of the largest are specks, unless they are as large as a square of so many px of the clip. */
const SPECK_SHARE = 0.02;
const SEEN_PX = 10;

/** Points of an outline: more cannot be worked on by hand. */
export const MOST_POINTS = 160;

/**
 * The outline of a mask as one closed path of few points (marching squares; Douglas & Peucker 1973). Parts that lie apart are
 * joined by bridges without width, so that they stay one shape; holes are left out.
 *
 * @param factor - Px of the clip per px of the mask.
 * @param tolerance - How far the path may leave the mask's edge, px of the clip.
 * @returns At most {@link MOST_POINTS} places, for which the tolerance is widened if need be. Px of the clip, pixel centres at whole numbers; empty for an empty mask.
 */
export function outlineOf(mask: MaskPatch, factor: number, tolerance: number): Point[] {
  const path = tracedPath(mask, factor, tolerance);
  return path.length <= MOST_POINTS ? path : outlineOf(mask, factor, 1.5 * tolerance);
}

function tracedPath(mask: MaskPatch, factor: number, tolerance: number): Point[] {
  const [first, ...rest] = outlinesOf(mask, factor, tolerance);
  return first ? rest.reduce(bridged, first) : [];
}

/** The outlines of the parts of a mask, largest first, each like that of {@link outlineOf} but with as many points as it takes. */
export function outlinesOf(mask: MaskPatch, factor: number, tolerance: number): Point[][] {
  const rings = ringsOf(mask).sort((a, b) => areaOfRing(b) - areaOfRing(a));
  const least = rings.length > 0 ? Math.min(SPECK_SHARE * areaOfRing(rings[0]), (SEEN_PX / factor) ** 2) : 0;
  // A mask's px is a square of `factor` px of the clip; d3's contours run along its edges.
  const inClip = ({ x, y }: Point): Point => ({ x: (mask.x + x) * factor - 0.5, y: (mask.y + y) * factor - 0.5 });
  return rings
    .filter((ring) => areaOfRing(ring) >= least)
    .map((ring) =>
      simplify(ring, tolerance / factor, true)
        .slice(0, -1)
        .map(inClip),
    )
    .filter((ring) => ring.length >= 3);
}

/** Closed rings around the parts of a mask, in px from the patch's corner. */
function ringsOf({ width, height, data }: MaskPatch): Point[][] {
  // A rim of nothing, so that what touches the patch's edge is closed.
  const [w, h] = [width + 2, height + 2];
  const values = new Array<number>(w * h).fill(0);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) values[(y + 1) * w + x + 1] = data[y * width + x];
  }
  const { coordinates } = contours().size([w, h]).thresholds([0.5])(values)[0];
  return coordinates.map(([outer]) => outer.map(([x, y]) => ({ x: x - 1, y: y - 1 })));
}

function areaOfRing(ring: readonly Point[]): number {
  let sum = 0;
  ring.forEach((p, i) => {
    const q = ring[(i + 1) % ring.length];
    sum += p.x * q.y - q.x * p.y;
  });
  return Math.abs(sum) / 2;
}

/** Two rings as one, by a way there and back between their nearest points. */
function bridged(a: Point[], b: Point[]): Point[] {
  let [i, j, least] = [0, 0, Infinity];
  a.forEach((p, k) =>
    b.forEach((q, m) => {
      const d = (p.x - q.x) ** 2 + (p.y - q.y) ** 2;
      if (d < least) [i, j, least] = [k, m, d];
    }),
  );
  return [...a.slice(0, i + 1), ...b.slice(j), ...b.slice(0, j + 1), ...a.slice(i)];
}
