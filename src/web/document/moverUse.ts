import { toShape, type ShotDocument, type Stretch } from '../../contract/document.ts';
import type { MoverView } from '../../contract/movers.ts';
import { pathAt } from '../../core/shapes/interpolate.ts';
import type { Shape } from '../../core/shapes/shape.ts';
import { boundsOf } from '../marks/pathEdits.ts';

/** What is drawn already of something that was found: it goes away, or stays in front of what is chosen. */
export type MoverUse = 'goes' | 'stays' | undefined;

/** Intersection over union of two rectangles from which both are around the same thing, with its shadow or without. */
const SAME = 0.3;

/** What something that was found is called, by its number: those that stand are counted by themselves. */
export function nameOfMover(movers: readonly MoverView[], mover: number): string {
  const moving = movers.filter(({ stands }) => !stands).length;
  return movers[mover]?.stands ? `Standing ${mover - moving + 1}` : `Mover ${mover + 1}`;
}

/** What has become of each mover, by where shapes lie on the frame that shows it best: whoever drew them. */
export function moverUses(document: ShotDocument, movers: readonly MoverView[], removalId: string): MoverUse[] {
  const shapes = Object.entries(document.removals).flatMap(([id, removal]) =>
    Object.entries(removal.shapes)
      .filter(([, node]) => !node.matte)
      .map(([shapeId, node]) => ({ removal: id, shape: toShape(shapeId, node, 0, document.tracks) })),
  );
  return movers.map((mover) => {
    const around = shapes.filter(({ shape }) => isAround(shape, mover));
    if (around.some(({ shape }) => shape.operation === 'add')) return 'goes';
    return around.some(({ shape, removal }) => shape.operation === 'hold' && removal === removalId)
      ? 'stays'
      : undefined;
  });
}

const isAround = (shape: Shape, mover: MoverView): boolean => alikeAt(shape, mover.best, mover.box) > SAME;

/** Whether a shape was drawn around a mover, in any of its keys. */
export const isDrawnAround = (shape: Shape, mover: MoverView): boolean =>
  shape.keys.some(({ frame }) => {
    const box = boxAt(mover, frame);
    return box !== undefined && alikeAt(shape, frame, box) > SAME;
  });

/** The frames of a stretch in which a mover comes over a shape, as far as rectangles tell; undefined if it never does. */
export function comesOver(shape: Shape, mover: MoverView, { from, to }: Stretch): Stretch | undefined {
  let over: Stretch | undefined;
  for (let t = Math.max(from, mover.first); t <= Math.min(to, mover.last); t++) {
    const points = pathAt(shape, t);
    if (points && points.length > 0 && common(boundsOf(points), boxAt(mover, t)!) > 0)
      over = { from: over?.from ?? t, to: t };
  }
  return over;
}

/** The rectangle around a mover, as large as where it is seen best. */
function boxAt(
  { first, last, box: [, , width, height], path }: MoverView,
  frame: number,
): MoverView['box'] | undefined {
  if (frame < first || frame > last) return undefined;
  const [x, y] = path.slice(2 * (frame - first));
  return [x - width / 2, y - height / 2, width, height];
}

/** Intersection over union of the rectangle around a shape and another one. */
function alikeAt(shape: Shape, frame: number, box: MoverView['box']): number {
  const points = pathAt(shape, frame);
  if (!points || points.length === 0) return 0;
  const own = boundsOf(points);
  const both = common(own, box);
  return both / (own.width * own.height + box[2] * box[3] - both);
}

/** Area that two rectangles share. */
function common(a: ReturnType<typeof boundsOf>, [x, y, width, height]: MoverView['box']): number {
  const across = Math.min(a.x + a.width, x + width) - Math.max(a.x, x);
  const down = Math.min(a.y + a.height, y + height) - Math.max(a.y, y);
  return across > 0 && down > 0 ? across * down : 0;
}
