import { toShape, type ShapeNode, type ShotDocument, type Stretch } from '../../contract/document.ts';
import type { MoverView } from '../../contract/movers.ts';
import { pathAt } from '../../core/shapes/interpolate.ts';
import type { Shape } from '../../core/shapes/shape.ts';
import { boundsOf } from '../marks/pathEdits.ts';

/** What is drawn already of something that was found: it goes away, or stays in front of what is chosen. */
export type MoverUse = 'goes' | 'stays' | undefined;

/** Intersection over union of two rectangles from which both are around the same thing, with its shadow or without. */
const SAME = 0.3;

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

function isAround(shape: Shape, { best, box }: MoverView): boolean {
  const points = pathAt(shape, best);
  if (!points || points.length === 0) return false;
  const own = boundsOf(points);
  const both = common(own, box);
  return both / (own.width * own.height + box[2] * box[3] - both) > SAME;
}

/** Whether a mover comes over a shape in any frame of a stretch, as far as its rectangle tells. */
export function comesOver(node: ShapeNode, mover: MoverView, { from, to }: Stretch): boolean {
  const [, , width, height] = mover.box;
  for (let t = Math.max(from, mover.first); t <= Math.min(to, mover.last); t++) {
    const points = (node.keys[t] as ShapeNode['keys'][string] | undefined)?.points;
    const [x, y] = mover.path.slice(2 * (t - mover.first));
    if (points && common(boundsOf(points), [x - width / 2, y - height / 2, width, height]) > 0) return true;
  }
  return false;
}

/** Area that two rectangles share. */
function common(a: ReturnType<typeof boundsOf>, [x, y, width, height]: MoverView['box']): number {
  const across = Math.min(a.x + a.width, x + width) - Math.max(a.x, x);
  const down = Math.min(a.y + a.height, y + height) - Math.max(a.y, y);
  return across > 0 && down > 0 ? across * down : 0;
}
