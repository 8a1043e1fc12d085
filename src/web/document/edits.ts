import {
  frameNumbers,
  newRemoval,
  nextRank,
  ranked,
  toShape,
  type RemovalNode,
  type ShapeNode,
  type ShotDocument,
} from '../../contract/document.ts';
import { pathAt } from '../../core/shapes/interpolate.ts';
import { rounded, translate } from '../marks/pathEdits.ts';
import { dropAnchor, settle } from './outlineAnchors.ts';
import type { Ease, PathPoint } from '../../core/shapes/shape.ts';

/** Changes of a document. Each works on a draft that may be changed; ids of what is made are returned. */

export function addRemoval(draft: ShotDocument): string {
  const id = crypto.randomUUID();
  draft.removals[id] = newRemoval(draft.removals, `Thing ${Object.keys(draft.removals).length + 1}`);
  return id;
}

/** Puts a removal before another, or last. */
export function moveRemoval(draft: ShotDocument, id: string, before: string | undefined): void {
  const others = ranked(draft.removals).filter(([other]) => other !== id);
  const at = before === undefined ? others.length : others.findIndex(([other]) => other === before);
  const [left, right] = [others[at - 1]?.[1].rank, others[at]?.[1].rank];
  draft.removals[id].rank = left === undefined ? (right ?? 0) - 1 : right === undefined ? left + 1 : (left + right) / 2;
}

/** What can be drawn. */
export type DrawnKind = Exclude<ShapeNode['kind'], 'matte'>;

const NAMES: Record<DrawnKind, string> = { path: 'Outline', ellipse: 'Ellipse', rectangle: 'Box' };

export function addShape(removal: RemovalNode, kind: DrawnKind, frame: number, points: PathPoint[]): string {
  const id = crypto.randomUUID();
  const keys: ShapeNode['keys'] = { [frame]: { ease: 'linear', points } };
  removal.shapes[id] = { ...nextOf(removal, kind), kind, operation: 'add', keys };
  return id;
}

/** A drawn shape like another one, with each of its keys moved, px of the frame that it is at home in. */
export function copyShape(removal: RemovalNode, shapeId: string, dx: number, dy: number): string {
  const id = crypto.randomUUID();
  const copy = structuredClone(removal.shapes[shapeId]);
  delete copy.variant;
  for (const key of Object.values(copy.keys)) key.points = translate(key.points, dx, dy).map(rounded);
  removal.shapes[id] = { ...copy, ...nextOf(removal, copy.kind as DrawnKind) };
  return id;
}

/** Name and rank of a removal's next shape of a kind. */
function nextOf(removal: RemovalNode, kind: DrawnKind): Pick<ShapeNode, 'name' | 'rank'> {
  const same = Object.values(removal.shapes).filter((s) => s.kind === kind).length;
  return { name: `${NAMES[kind]} ${same + 1}`, rank: nextRank(removal.shapes) };
}

/** Sets the outline at a frame: a key that is there is changed, else one is made with the ease of the key before. */
export function setKey(shape: ShapeNode, frame: number, points: PathPoint[]): void {
  const key = shape.keys[frame] as ShapeNode['keys'][string] | undefined;
  shape.keys[frame] = { ease: key?.ease ?? easeBefore(shape, frame), points };
  settle(shape, frame);
}

function easeBefore(shape: ShapeNode, frame: number): Ease {
  const frames = keyFrames(shape);
  const before = frames.filter((f) => f < frame).at(-1) ?? frames[0];
  return shape.keys[before]?.ease ?? 'linear';
}

/** A key at a frame that changes nothing of what is seen there. */
export function pinKey(id: string, shape: ShapeNode, frame: number): void {
  const points = pathAt({ ...toShape(id, shape), visible: undefined }, frame);
  if (points) setKey(shape, frame, points);
}

/** Takes a key away; the last one of a shape stays. */
export function removeKey(shape: ShapeNode, frame: number): void {
  if (keyFrames(shape).length < 2) return;
  if (shape.outline && frame in shape.outline.anchors) dropAnchor(shape, frame);
  else delete shape.keys[frame];
}

/** One outline for all frames: that of the given frame. */
export function makeConstant(id: string, shape: ShapeNode, frame: number): void {
  const points = pathAt({ ...toShape(id, shape), visible: undefined }, frame)!;
  shape.keys = { [frame]: { ease: 'linear', points } };
  // One outline for all frames is followed no more.
  delete shape.outline;
}

export const keyFrames = (shape: ShapeNode): number[] => frameNumbers(shape.keys);

/** Frames with a key of any shape. */
export const removalKeyFrames = (removal: RemovalNode): number[] =>
  [...new Set(Object.values(removal.shapes).flatMap(keyFrames))].sort((a, b) => a - b);
