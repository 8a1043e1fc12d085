import type { Rect } from '../image/format.ts';
import { boxOf, type MatteCells } from '../image/matteCells.ts';

/** Where a matte is in a frame: the middle of its area, px, and its size, the square root of its area, px. */
export interface MattePlace {
  x: number;
  y: number;
  size: number;
}

/** Sides of the picture at which a matte is cut. */
type Cut = Record<'left' | 'top' | 'right' | 'bottom', boolean>;

/**
 * How a matte goes through a shot, from its own shape alone. Where the picture's border cuts it, by the sides that are in view, and as
 * large as in the nearest frame that shows all of it.
 *
 * @returns Per frame; nothing where nothing is marked, nor in a shot that never shows all of it.
 */
export function matteWay(cells: MatteCells, size: { width: number; height: number }): (MattePlace | undefined)[] {
  const boxes = Array.from({ length: cells.count }, (_, t) => boxOf(cells, t));
  const cuts = boxes.map((box) => cutBy(box, size));
  const way = boxes.map((box, t) =>
    box.width > 0 && !isCut(cuts[t])
      ? { x: cells.middles[2 * t], y: cells.middles[2 * t + 1], size: Math.sqrt(cells.area[t]) }
      : undefined,
  );
  const whole = way.flatMap((place, t) => (place ? [t] : []));
  if (whole.length === 0) return way;
  const nearest = (t: number): number => whole.reduce((a, b) => (Math.abs(b - t) < Math.abs(a - t) ? b : a));
  return way.map((place, t) => {
    if (place || boxes[t].width === 0) return place;
    const by = nearest(t);
    return bySides(boxes[t], cuts[t], boxes[by], way[by]!);
  });
}

function cutBy({ x, y, width, height }: Rect, size: { width: number; height: number }): Cut {
  return { left: x <= 0, top: y <= 0, right: x + width >= size.width, bottom: y + height >= size.height };
}

const isCut = (cut: Cut): boolean => cut.left || cut.top || cut.right || cut.bottom;

/** Where a cut matte's middle is, by a frame in which it is whole. */
function bySides(box: Rect, cut: Cut, whole: Rect, place: MattePlace): MattePlace {
  const along = (
    low: number,
    length: number,
    from: number,
    whole: number,
    middle: number,
    isCut: [boolean, boolean],
  ): number => {
    const byLow = low + (middle - from);
    const byHigh = low + length - (from + whole - middle);
    if (isCut[0] === isCut[1]) return (byLow + byHigh) / 2;
    return isCut[0] ? byHigh : byLow;
  };
  return {
    x: along(box.x, box.width, whole.x, whole.width, place.x, [cut.left, cut.right]),
    y: along(box.y, box.height, whole.y, whole.height, place.y, [cut.top, cut.bottom]),
    size: place.size,
  };
}
