import {
  frameNumbers,
  LIMITS,
  ranked,
  type Pointed,
  type RemovalNode,
  type ShapeNode,
} from '../../contract/document.ts';
import { keyFrames, removeKey } from './edits.ts';
import { DRAWN } from './outlineAnchors.ts';

/** A key of a removal: of a shape, at a frame. */
export interface KeyPlace {
  shapeId: string;
  frame: number;
}

/** Where a frame goes; rounded where keys are put. */
export type Retiming = (frame: number) => number;

export const shiftBy =
  (by: number): Retiming =>
  (frame) =>
    frame + by;

/** Stretches frames so that `from` comes to lie at `to` while `fixed` stays where it is. */
export function stretchTo(fixed: number, from: number, to: number): Retiming {
  const factor = from === fixed ? 1 : (to - fixed) / (from - fixed);
  return (frame) => fixed + (frame - fixed) * factor;
}

/**
 * Moves keys over time together, or copies of them. A key that was not chosen and lies where one arrives is replaced; of two
 * that arrive at the same frame the later one is kept. Keys of an outline that is followed hold where they arrive.
 *
 * @param frames - Of the clip: keys stay within it.
 * @returns Where they are now.
 */
export function retimeKeys(
  removal: RemovalNode,
  chosen: readonly KeyPlace[],
  to: Retiming,
  frames: number,
  copy = false,
): KeyPlace[] {
  return byShape(removal, chosen).flatMap(([shapeId, shape, at]) => {
    const place = (f: number): number => Math.max(0, Math.min(frames - 1, Math.round(to(f))));
    const moved = pick(shape.keys, at, place);
    const anchors = shape.outline?.anchors ?? {};
    const held = Object.fromEntries(at.map((f) => [place(f), anchors[f] ?? DRAWN]));
    for (const f of copy ? [] : at) {
      delete shape.keys[f];
      delete anchors[f];
    }
    put(shape, moved, held);
    return Object.keys(moved).map((f) => ({ shapeId, frame: Number(f) }));
  });
}

const pick = (keys: ShapeNode['keys'], at: readonly number[], place: Retiming): ShapeNode['keys'] =>
  Object.fromEntries(at.map((f) => [place(f), structuredClone(keys[f])]));

/** Sets keys; those of an outline become anchors, and what was followed around them stays. */
function put(shape: ShapeNode, keys: ShapeNode['keys'], anchors: Record<string, Pointed>): void {
  Object.assign(shape.keys, keys);
  if (shape.outline) Object.assign(shape.outline.anchors, anchors);
}

/** Takes keys away; the last one of a shape stays. */
export function removeKeys(removal: RemovalNode, chosen: readonly KeyPlace[]): void {
  for (const [, shape, at] of byShape(removal, chosen)) for (const f of at) removeKey(shape, f);
}

/** Keys as they were drawn, to be put elsewhere; frames are counted from the first of them. */
export interface CopiedKeys {
  shapes: { node: ShapeNode; keys: ShapeNode['keys'] }[];
}

/** @returns Undefined if nothing is chosen. */
export function copyKeys(removal: RemovalNode, chosen: readonly KeyPlace[]): CopiedKeys | undefined {
  const groups = byShape(removal, chosen);
  if (groups.length === 0) return undefined;
  const first = Math.min(...groups.flatMap(([, , at]) => at));
  return {
    shapes: groups.map(([, node, at]) => ({
      node: structuredClone(node),
      keys: pick(node.keys, at, shiftBy(-first)),
    })),
  };
}

/**
 * Puts copied keys into a removal, the first of them at a frame: keys of one shape into the shape `into` if there is one, else
 * each into a new shape like the one that it comes from.
 *
 * @returns Where they are; nothing if the removal has no room for more shapes.
 */
export function pasteKeys(
  removal: RemovalNode,
  { shapes }: CopiedKeys,
  frame: number,
  frames: number,
  into: string | undefined,
): KeyPlace[] {
  const target = into === undefined ? undefined : (removal.shapes[into] as ShapeNode | undefined);
  const goesIn = shapes.length === 1 && target !== undefined;
  if (!goesIn && Object.keys(removal.shapes).length + shapes.length > LIMITS.shapes) return [];
  return shapes.flatMap(({ node, keys }) => {
    const within = frameNumbers(keys).filter((f) => f + frame < frames);
    if (within.length === 0) return [];
    const placed = pick(keys, within, shiftBy(frame));
    if (goesIn) put(target, placed, Object.fromEntries(Object.keys(placed).map((f) => [f, DRAWN])));
    const shapeId = goesIn ? into! : addLike(removal, node, frame, placed);
    return Object.keys(placed).map((f) => ({ shapeId, frame: Number(f) }));
  });
}

/** A new shape like another one, with keys of its own; limited frames come along with its keys. */
function addLike(removal: RemovalNode, node: ShapeNode, frame: number, keys: ShapeNode['keys']): string {
  const id = crypto.randomUUID();
  const { outline: _, variant: __, visible, ...rest } = structuredClone(node);
  const by = frame - keyFrames(node)[0];
  removal.shapes[id] = {
    ...rest,
    rank: (ranked(removal.shapes).at(-1)?.[1].rank ?? 0) + 1,
    keys,
    ...(visible && { visible: { from: Math.max(0, visible.from + by), to: Math.max(0, visible.to + by) } }),
  };
  return id;
}

/** Chosen keys that are there, by shape, in order of frames. */
function byShape(removal: RemovalNode, chosen: readonly KeyPlace[]): [string, ShapeNode, number[]][] {
  return ranked(removal.shapes).flatMap(([id, shape]) => {
    const at = keyFrames(shape).filter((f) => chosen.some((k) => k.shapeId === id && k.frame === f));
    return at.length > 0 ? [[id, shape, at] as [string, ShapeNode, number[]]] : [];
  });
}
