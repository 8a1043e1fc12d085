import type { Ease, PathPoint, Removal, Shape } from '../core/shapes/shape.ts';

/**
 * The document of a shot: what a person has drawn and set. Things are kept by id and keys by frame, never by their
 * place in a list, so that two people's patches name the same thing. Frames are those of the clip.
 */
export interface ShotDocument {
  removals: Record<string, RemovalNode>;
}

export interface RemovalNode {
  name: string;
  /** Order in the list: ascending. A later removal sees the result of the earlier ones. */
  rank: number;
  hidden: boolean;
  /** Px. */
  grow: number;
  featherIn: number;
  featherOut: number;
  settings: TakeSettings;
  shapes: Record<string, ShapeNode>;
}

/** What a person sets on a take. */
export interface TakeSettings {
  /** Frames, each way. */
  reach: number;
  /** Percent. */
  light: number;
  grain: boolean;
}

export interface ShapeNode {
  name: string;
  rank: number;
  kind: Shape['kind'];
  operation: Shape['operation'];
  visible?: { from: number; to: number };
  /** By frame number. */
  keys: Record<string, { ease: Ease; points: PathPoint[] }>;
}

export const LIMITS = {
  removals: 40,
  shapes: 40,
  keys: 2000,
  points: 400,
  /** Px from the frame's corner. */
  place: 50_000,
  grow: 200,
  feather: 200,
  reach: 600,
} as const;

export const SETTINGS_DEFAULTS: TakeSettings = { reach: 100, light: 100, grain: true };

const byRank = (a: [string, { rank: number }], b: [string, { rank: number }]): number =>
  a[1].rank - b[1].rank || (a[0] < b[0] ? -1 : 1);

/** Entries in the order in which a person sees them. */
export function ranked<T extends { rank: number }>(nodes: Record<string, T>): [string, T][] {
  return Object.entries(nodes).sort(byRank);
}

/** A removal as the core computes on it; its frames counted from `first`. */
export function toRemoval(id: string, node: RemovalNode, first = 0): Removal {
  const { name, hidden, grow, featherIn, featherOut } = node;
  return {
    id,
    name,
    hidden,
    grow,
    featherIn,
    featherOut,
    shapes: ranked(node.shapes).map(([shapeId, shape]) => toShape(shapeId, shape, first)),
  };
}

export function toShape(id: string, { name, kind, operation, visible, keys }: ShapeNode, first = 0): Shape {
  return {
    id,
    name,
    kind,
    operation,
    visible: visible && { from: visible.from - first, to: visible.to - first },
    keys: Object.entries(keys)
      .map(([frame, key]) => ({ frame: Number(frame) - first, ...key }))
      .sort((a, b) => a.frame - b.frame),
  };
}

/** What of a removal decides on its matte, as text: equal texts, equal mattes. */
export function marksText(node: RemovalNode): string {
  const { grow, featherIn, featherOut } = node;
  const shapes = ranked(node.shapes).map(([, { operation, visible, keys }]) => ({
    operation,
    visible: visible ?? null,
    keys: Object.entries(keys)
      .sort((a, b) => Number(a[0]) - Number(b[0]))
      .map(([frame, { ease, points }]) => [
        Number(frame),
        ease,
        points.map(({ x, y, inX, inY, outX, outY }) => [x, y, inX, inY, outX, outY]),
      ]),
  }));
  return JSON.stringify({ grow, featherIn, featherOut, shapes });
}
