import { bytesOf } from '../core/image/mapped.ts';
import type { MaskPatch } from '../core/movers/maskPatch.ts';
import type { RasterPatch } from '../core/shapes/raster.ts';
import type { Removal, Shape } from '../core/shapes/shape.ts';
import { DrawnMattes } from './drawnMattes.ts';

const HALF = 128;

const PLAIN = { hidden: false, grow: 0, featherIn: 0, featherOut: 0, holdGrow: 0, holdFeather: 0 };

/** A removal of one shape with its own edge, on every frame, whatever the shape does otherwise. */
export function plainRemoval(shape: Shape): Removal {
  const own: Shape = { ...shape, operation: 'add', visible: undefined };
  return { id: shape.id, name: shape.name, ...PLAIN, shapes: [own] };
}

/** What goes away by a removal's shapes beside one of them: nothing is added around them, nothing stays in front. */
export function removalBeside(shapeId: string, removal: Removal): Removal {
  const shapes = removal.shapes.filter(({ id, operation }) => id !== shapeId && operation !== 'hold');
  return { ...removal, ...PLAIN, shapes };
}

/** Px of the frame as stored of which a shape covers at least half, drawn on the picture as shown. */
export function drawnMask(
  shape: Shape,
  frame: number,
  { width, height, rotation }: { width: number; height: number; rotation: number },
): MaskPatch {
  const removal = plainRemoval(shape);
  return maskOf(new DrawnMattes({ removal, width, height, rotation, count: frame + 1 }).matte(frame));
}

/** Px that are covered by at least a half. */
export function maskOf({ rect, values }: RasterPatch): MaskPatch {
  return { ...rect, data: bytesOf(values, (v) => (v >= HALF ? 1 : 0)) };
}
