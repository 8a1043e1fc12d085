import { polygonContains } from 'd3-polygon';
import {
  counting,
  quadOf,
  toShape,
  type RasterLibrary,
  type RemovalNode,
  type ShotDocument,
} from '../../contract/document.ts';
import { middleOf } from '../../core/geometry/homography.ts';
import { isVisible, pathAt } from '../../core/shapes/interpolate.ts';
import { rasterAt } from '../../core/shapes/raster.ts';
import { flatten } from '../../core/shapes/rasterise.ts';
import type { Shape } from '../../core/shapes/shape.ts';

/** Whether a place of a frame (of the clip, px of the picture as shown) is drawn as something else than a track's region. */
export type BlockedPlace = (frame: number, x: number, y: number) => boolean;

/**
 * What a track must not hold on to: what stays in front of the removal that it follows, and all that other removals take
 * away. A removal is the track's own if a shape of it rides on the track, or if it covers the region where that was set.
 * What stays in front is the track's own if it rides on it, or, if nothing does, if it covers the region wherever that was set.
 *
 * @param rasters - Without them mattes that were brought in block nothing.
 * @returns Undefined if nothing is in the way.
 */
export function blockedFor(
  { removals, tracks }: ShotDocument,
  trackId: string,
  rasters?: RasterLibrary,
): BlockedPlace | undefined {
  const { anchors } = tracks[trackId];
  const middles = Object.entries(anchors).map(([frame, c]) => ({ frame: Number(frame), ...middleOf(quadOf(c)) }));
  const ridden = Object.values(removals).some((removal) => ridesOn(removal, trackId));
  const tests = Object.values(removals).flatMap((removal): BlockedPlace[] => {
    const shapes = counting(removal).map(([id, node]) => toShape(id, node, 0, tracks, rasters));
    const followed = (hold: Shape): boolean => {
      if (ridden) return removal.shapes[hold.id].rides?.track === trackId;
      const covers = insideOf([hold])!;
      return middles.every(({ frame, x, y }) => covers(frame, x, y));
    };
    const stays = shapes.filter((s) => s.operation === 'hold');
    const holds = insideOf(stays.filter((s) => !followed(s)));
    const goes = insideOf(shapes.filter((s) => s.operation !== 'hold'));
    // What it follows in front of a removal hides that: there is nothing of the removal to hold on to.
    const own =
      ridesOn(removal, trackId) || stays.some(followed) || middles.some(({ frame, x, y }) => goes?.(frame, x, y));
    return [holds, own ? undefined : goes].filter((test) => test !== undefined);
  });
  return tests.length > 0 ? (frame, x, y) => tests.some((test) => test(frame, x, y)) : undefined;
}

const ridesOn = ({ shapes }: RemovalNode, trackId: string): boolean =>
  Object.values(shapes).some(({ rides }) => rides?.track === trackId);

/** Whether shapes, added and cut out in their order, cover a place; undefined for none. Edges are not grown. */
function insideOf(shapes: readonly Shape[]): BlockedPlace | undefined {
  if (shapes.length === 0) return undefined;
  let held: { frame: number; areas: Area[] } | undefined;
  return (frame, x, y) => {
    // A frame is asked for many places in a row.
    if (held?.frame !== frame) held = { frame, areas: areasAt(shapes, frame) };
    return held.areas.reduce((inside, { cut, covers }) => (covers(x, y) ? !cut : inside), false);
  };
}

interface Area {
  cut: boolean;
  covers(x: number, y: number): boolean;
}

function areasAt(shapes: readonly Shape[], frame: number): Area[] {
  return shapes.flatMap((shape) => {
    const covers = shape.raster ? rasterCovers(shape, frame) : outlineCovers(shape, frame);
    return covers ? [{ cut: shape.operation === 'subtract', covers }] : [];
  });
}

function outlineCovers(shape: Shape, frame: number): Area['covers'] | undefined {
  const points = pathAt(shape, frame);
  if (!points || points.length < 2) return undefined;
  const flat = flatten(points);
  const polygon = Array.from({ length: flat.length / 2 }, (_, i): [number, number] => [flat[2 * i], flat[2 * i + 1]]);
  return (x, y) => polygonContains(polygon, [x, y]);
}

/** From half covered on. */
const HALF = 128;

function rasterCovers(shape: Shape, frame: number): Area['covers'] | undefined {
  const patch = isVisible(shape, frame) ? rasterAt(shape.raster!, frame) : undefined;
  if (!patch) return undefined;
  const { rect, values } = patch;
  return (x, y) => {
    const [u, v] = [Math.round(x) - rect.x, Math.round(y) - rect.y];
    return u >= 0 && v >= 0 && u < rect.width && v < rect.height && values[v * rect.width + u] >= HALF;
  };
}
