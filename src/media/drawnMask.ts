import type { MaskPatch } from '../core/movers/maskPatch.ts';
import type { Removal, Shape } from '../core/shapes/shape.ts';
import { DrawnMattes } from './drawnMattes.ts';

const HALF = 128;

/** A removal of one shape with its own edge, on every frame, whatever the shape does otherwise. */
export function plainRemoval(shape: Shape): Removal {
  const own: Shape = { ...shape, operation: 'add', visible: undefined };
  const plain = { hidden: false, grow: 0, featherIn: 0, featherOut: 0, holdGrow: 0, holdFeather: 0 };
  return { id: shape.id, name: shape.name, ...plain, shapes: [own] };
}

/** Px of the frame as stored of which a shape covers at least half, drawn on the picture as shown. */
export function drawnMask(
  shape: Shape,
  frame: number,
  { width, height, rotation }: { width: number; height: number; rotation: number },
): MaskPatch {
  const removal = plainRemoval(shape);
  const { rect, values } = new DrawnMattes({ removal, width, height, rotation, count: frame + 1 }).matte(frame);
  return { ...rect, data: values.map((v) => (v >= HALF ? 1 : 0)) };
}
