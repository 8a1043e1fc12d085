import {
  frameNumbers,
  LIMITS,
  nextRank,
  ranked,
  type Pointed,
  type RemovalNode,
  type ShapeNode,
} from '../../contract/document.ts';
import type { TrimNode } from '../../contract/trim.ts';
import type { Ease } from '../../core/shapes/shape.ts';
import { keyFrames, removeKey } from './edits.ts';
import { DRAWN } from './outlineAnchors.ts';
import { removeTrimKey } from './trimEdits.ts';

/** The lane of a removal's hand trim; other lanes are named by their shapes. */
export const TRIM_LANE = 'trim';

/** A key of a removal: of a shape or of the hand trim, at a frame. */
export interface KeyPlace {
  /** A shape's id, or {@link TRIM_LANE}. */
  lane: string;
  frame: number;
}

/** Lanes of a removal's keys, in their order: its shapes, then its trim if there is one. */
export const lanesOf = ({ shapes, trim }: Keyed): string[] => [
  ...ranked(shapes).map(([id]) => id),
  ...(trim ? [TRIM_LANE] : []),
];

/** Keys of a lane; undefined if there is no such lane. */
export function laneKeys({ shapes, trim }: Keyed, lane: string): Record<string, { ease: Ease }> | undefined {
  return lane === TRIM_LANE ? trim : (shapes[lane] as ShapeNode | undefined)?.keys;
}

/** What of a removal has keys. */
type Keyed = Pick<RemovalNode, 'shapes' | 'trim'>;

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
  const place = (f: number): number => Math.max(0, Math.min(frames - 1, Math.round(to(f))));
  const shapes = byShape(removal, chosen).flatMap(([lane, shape, at]) => {
    const moved = pick(shape.keys, at, place);
    const anchors = shape.outline?.anchors ?? {};
    const held = Object.fromEntries(at.map((f) => [place(f), anchors[f] ?? DRAWN]));
    for (const f of copy ? [] : at) {
      delete shape.keys[f];
      delete anchors[f];
    }
    put(shape, moved, held);
    return placesOf(lane, moved);
  });
  const at = trimFrames(removal, chosen);
  if (at.length === 0) return shapes;
  const moved = pick(removal.trim!, at, place);
  for (const f of copy ? [] : at) delete removal.trim![f];
  Object.assign(removal.trim!, moved);
  return [...shapes, ...placesOf(TRIM_LANE, moved)];
}

const placesOf = (lane: string, keys: Record<string, unknown>): KeyPlace[] =>
  Object.keys(keys).map((f) => ({ lane, frame: Number(f) }));

const pick = <T>(keys: Record<string, T>, at: readonly number[], place: Retiming): Record<string, T> =>
  Object.fromEntries(at.map((f) => [place(f), structuredClone(keys[f])]));

/** Chosen keys of the trim that are there, in order of frames. */
const trimFrames = ({ trim }: Pick<RemovalNode, 'trim'>, chosen: readonly KeyPlace[]): number[] =>
  frameNumbers(trim ?? {}).filter((f) => chosen.some((k) => k.lane === TRIM_LANE && k.frame === f));

/** Sets keys; those of an outline become anchors, and what was followed around them stays. */
function put(shape: ShapeNode, keys: ShapeNode['keys'], anchors: Record<string, Pointed>): void {
  Object.assign(shape.keys, keys);
  if (shape.outline) Object.assign(shape.outline.anchors, anchors);
}

/** Takes keys away; the last one of a shape stays, with the last one of a trim the trim goes. */
export function removeKeys(removal: RemovalNode, chosen: readonly KeyPlace[]): void {
  for (const f of trimFrames(removal, chosen)) removeTrimKey(removal, f);
  for (const [, shape, at] of byShape(removal, chosen)) for (const f of at) removeKey(shape, f);
}

/** Keys as they were drawn, to be put elsewhere; frames are counted from the first of them. */
export interface CopiedKeys {
  shapes: { node: ShapeNode; keys: ShapeNode['keys'] }[];
  trim: TrimNode;
}

/** @returns Undefined if nothing is chosen. */
export function copyKeys(removal: Keyed, chosen: readonly KeyPlace[]): CopiedKeys | undefined {
  const groups = byShape(removal, chosen);
  const trimmed = trimFrames(removal, chosen);
  const first = Math.min(...groups.flatMap(([, , at]) => at), ...trimmed);
  if (!Number.isFinite(first)) return undefined;
  return {
    trim: pick(removal.trim ?? {}, trimmed, shiftBy(-first)),
    shapes: groups.map(([, node, at]) => ({
      node: structuredClone(node),
      keys: pick(node.keys, at, shiftBy(-first)),
    })),
  };
}

/**
 * Puts copied keys into a removal, the first of them at a frame: keys of one shape into the shape `into` if there is one, else
 * each into a new shape like the one that it comes from; keys of a trim into the removal's own.
 *
 * @returns Where they are; nothing if the removal has no room for more shapes.
 */
export function pasteKeys(
  removal: RemovalNode,
  { shapes, trim }: CopiedKeys,
  frame: number,
  frames: number,
  into: string | undefined,
): KeyPlace[] {
  const target = into === undefined ? undefined : (removal.shapes[into] as ShapeNode | undefined);
  const goesIn = shapes.length === 1 && target !== undefined;
  if (!goesIn && Object.keys(removal.shapes).length + shapes.length > LIMITS.shapes) return [];
  const inClip = <T>(keys: Record<string, T>): Record<string, T> =>
    pick(
      keys,
      frameNumbers(keys).filter((f) => f + frame < frames),
      shiftBy(frame),
    );
  const placed = shapes.flatMap(({ node, keys }) => {
    const within = inClip(keys);
    if (Object.keys(within).length === 0) return [];
    if (goesIn) put(target, within, Object.fromEntries(Object.keys(within).map((f) => [f, DRAWN])));
    return placesOf(goesIn ? into! : addLike(removal, node, frame, within), within);
  });
  const trimmed = inClip(trim);
  if (Object.keys(trimmed).length > 0) removal.trim = { ...removal.trim, ...trimmed };
  return [...placed, ...placesOf(TRIM_LANE, trimmed)];
}

/** A new shape like another one, with keys of its own; limited frames come along with its keys. */
function addLike(removal: RemovalNode, node: ShapeNode, frame: number, keys: ShapeNode['keys']): string {
  const id = crypto.randomUUID();
  const { outline: _, variant: __, visible, ...rest } = structuredClone(node);
  const by = frame - keyFrames(node)[0];
  removal.shapes[id] = {
    ...rest,
    rank: nextRank(removal.shapes),
    keys,
    ...(visible && { visible: { from: Math.max(0, visible.from + by), to: Math.max(0, visible.to + by) } }),
  };
  return id;
}

/** Chosen keys that are there, by shape, in order of frames. */
function byShape(removal: Keyed, chosen: readonly KeyPlace[]): [string, ShapeNode, number[]][] {
  return ranked(removal.shapes).flatMap(([id, shape]) => {
    const at = keyFrames(shape).filter((f) => chosen.some((k) => k.lane === id && k.frame === f));
    return at.length > 0 ? [[id, shape, at] as [string, ShapeNode, number[]]] : [];
  });
}
