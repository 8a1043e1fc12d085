import { FILL_DEFAULTS, type Donor, type SourceKind } from '../core/fill/settings.ts';
import type { RasterFrames } from '../core/shapes/raster.ts';
import type { Ride } from '../core/shapes/ride.ts';
import type { Ease, PathPoint, Removal, Shape } from '../core/shapes/shape.ts';
import type { LossReason } from '../core/tracking/followRegion.ts';
import type { Quad, TrackPart } from '../core/tracking/regionModel.ts';
import type { PlateNode } from './plates.ts';
import type { TrimNode } from './trim.ts';

/**
 * The document of a shot: what a person has drawn and set. Things are kept by id and keys by frame, never by their
 * place in a list, so that two people's patches name the same thing. Frames are those of the clip.
 */
export interface ShotDocument {
  removals: Record<string, RemovalNode>;
  tracks: Record<string, TrackNode>;
}

/** A region that is followed over the shot: shapes can ride on it. */
export interface TrackNode {
  name: string;
  rank: number;
  /** What of its motion is solved for. */
  parts: TrackPart[];
  /** Frames in which a person has set the corners, which then hold; at least one. */
  anchors: Record<string, Corners>;
  /** Confidence (0..1) and corners on every frame that has been followed, the anchors too. */
  frames: Record<string, TrackEntry>;
  /** Stretches of frames, inclusive, in which it is lost. */
  losses: { from: number; to: number; reason: LossReason }[];
}

/** x0 y0 … x3 y3: corners in order around the region, px of the picture as shown. */
export type Corners = number[];
/** Confidence, then corners. */
export type TrackEntry = number[];

/** A removal as it is drawn: with the tracks that its shapes ride on. */
export interface Marks extends RemovalNode {
  tracks: Record<string, Pick<TrackNode, 'frames' | 'anchors'>>;
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
  /** Of what its shapes hold out, px; 0 if it has not been set. */
  holdGrow?: number;
  /** The same, each way; {@link HOLD_FEATHER} if it has not been set. */
  holdFeather?: number;
  /** Its shadow is meant to stay: the coverage watch does not miss it. */
  shadowStays?: boolean;
  settings: TakeSettings;
  /** What a hand changes of its fill. */
  trim?: TrimNode;
  shapes: Record<string, ShapeNode>;
}

/** What a person sets on a take. */
export interface TakeSettings {
  /** Frames, each way. */
  reach: number;
  /** Percent. */
  light: number;
  grain: boolean;
  /** In this order; missing = other frames, then texture. */
  sources?: SourceKind[];
  /** Frame of the clip, px of the picture as shown. */
  donor?: Donor;
  plate?: PlateNode;
}

export interface ShapeNode {
  name: string;
  rank: number;
  kind: Shape['kind'];
  operation: Shape['operation'];
  visible?: Stretch;
  /** The track that it rides on, and the frame in whose px its keys are drawn. */
  rides?: { track: string; home: number };
  /** Of a matte that was brought in: its file, and how it lies over the clip's frames. It has no keys. */
  matte?: MatteNode;
  /** One of several shapes of which one counts at a time: which ones belong together, and whether it is left out now. */
  variant?: { of: string; off: boolean };
  /** Found by pointing, and followed from there. */
  outline?: OutlineNode;
  /** By frame number. */
  keys: Record<string, { ease: Ease; points: PathPoint[] }>;
}

/** A matte that was brought in. */
export interface MatteNode {
  file: string;
  /** Frames that it has. */
  count: number;
  /** Frame of the clip at which its first one lies, and how many of its frames go by with each of the clip's. */
  start: number;
  pace: number;
}

/** Finds the frames of a matte that was brought in, by its file. */
export type RasterLibrary = (file: string) => RasterFrames;

/** What a person has settled about a shape's outline, and where it could not be followed. */
export interface OutlineNode {
  /** Frames whose key holds, with what was pointed at in them (nothing, if it was drawn); at least one. */
  anchors: Record<string, Pointed>;
  /** Stretches of frames, inclusive, in which it was lost. */
  lost: Stretch[];
  /** Those in which it rests, hidden in part, and lies where its background has gone. */
  held?: Stretch[];
}

/** Frames, inclusive. */
export interface Stretch {
  from: number;
  to: number;
}

/** What was pointed at in a frame: strokes as x0 y0 x1 y1 … (a click is one place), px of the picture as shown. */
export interface Pointed {
  add: number[][];
  remove: number[][];
  /** x, y, width, height. */
  box?: [number, number, number, number];
  /** It mends an outline that was followed or drawn; without it everything is found from what was pointed at. */
  mends?: boolean;
}

export const LIMITS = {
  removals: 40,
  shapes: 40,
  tracks: 40,
  keys: 2000,
  points: 400,
  /** Px from the frame's corner. */
  place: 50_000,
  grow: 200,
  feather: 200,
  reach: 600,
  /** Frames of a matte for each of the clip's. */
  pace: 20,
} as const;

/** Px. */
export const HOLD_FEATHER = 1;

export const SETTINGS_DEFAULTS: TakeSettings = { reach: 300, light: 100, grain: true };

const byRank = (a: [string, { rank: number }], b: [string, { rank: number }]): number =>
  a[1].rank - b[1].rank || (a[0] < b[0] ? -1 : 1);

/** Entries in the order in which a person sees them. */
export function ranked<T extends { rank: number }>(nodes: Record<string, T>): [string, T][] {
  return Object.entries(nodes).sort(byRank);
}

/** The rank that comes after all of some nodes. */
export const nextRank = (nodes: Record<string, { rank: number }>): number => (ranked(nodes).at(-1)?.[1].rank ?? 0) + 1;

/** Whether another variant of a shape counts in its place. */
export const isOff = ({ variant }: ShapeNode): boolean => variant?.off === true;

/** Shapes that count, in order. */
export const counting = ({ shapes }: Pick<RemovalNode, 'shapes'>): [string, ShapeNode][] =>
  ranked(shapes).filter(([, shape]) => !isOff(shape));

/** A removal without shapes, last in the list. */
export function newRemoval(others: ShotDocument['removals'], name: string): RemovalNode {
  return {
    name,
    rank: nextRank(others),
    hidden: false,
    grow: 0,
    featherIn: 0,
    featherOut: 2,
    settings: { ...SETTINGS_DEFAULTS },
    shapes: {},
  };
}

/** Frames of what is kept by frame, ascending. */
export const frameNumbers = (byFrame: Record<string, unknown>): number[] =>
  Object.keys(byFrame)
    .map(Number)
    .sort((a, b) => a - b);

export const quadOf = (c: Corners): Quad => [0, 2, 4, 6].map((i) => ({ x: c[i], y: c[i + 1] })) as unknown as Quad;
export const cornersOf = (quad: Quad): Corners => quad.flatMap((p) => [p.x, p.y]);

/** A removal with what its shapes ride on; undefined if there is no such removal. */
export function marksOf({ removals, tracks }: ShotDocument, id: string): Marks | undefined {
  const node = removals[id] as RemovalNode | undefined;
  if (!node) return undefined;
  const ridden = Object.values(node.shapes).flatMap(({ rides }) => (rides && tracks[rides.track] ? [rides.track] : []));
  const pick = (track: string): [string, Pick<TrackNode, 'frames' | 'anchors'>] => {
    const { frames, anchors } = tracks[track];
    return [track, { frames, anchors }];
  };
  return { ...node, tracks: Object.fromEntries(ridden.map(pick)) };
}

/** A shape by its id, with its removal's. */
export function findShape(
  { removals }: ShotDocument,
  shapeId: string,
): { removalId: string; shape: ShapeNode } | undefined {
  for (const [removalId, { shapes }] of Object.entries(removals)) {
    if (shapeId in shapes) return { removalId, shape: shapes[shapeId] };
  }
  return undefined;
}

/**
 * A removal as the core computes on it; its frames counted from `first`.
 * @param rasters - Without them mattes that were brought in are left out.
 */
export function toRemoval(id: string, node: Marks, first = 0, rasters?: RasterLibrary): Removal {
  const { name, hidden, grow, featherIn, featherOut, holdGrow = 0, holdFeather = HOLD_FEATHER } = node;
  return {
    id,
    name,
    hidden,
    grow,
    featherIn,
    featherOut,
    holdGrow,
    holdFeather,
    shapes: counting(node).map(([shapeId, shape]) => toShape(shapeId, shape, first, node.tracks, rasters)),
  };
}

/**
 * @param tracks - Without them the shape is as it was drawn, in px of the frame that it is at home in.
 * @param rasters - Without them a matte that was brought in is empty.
 */
export function toShape(
  id: string,
  node: ShapeNode,
  first = 0,
  tracks: Marks['tracks'] = {},
  rasters?: RasterLibrary,
): Shape {
  const { name, kind, operation, visible, keys, rides, matte } = node;
  const track = rides && (tracks[rides.track] as TrackNode | undefined);
  return {
    id,
    name,
    kind,
    operation,
    visible: visible && { from: visible.from - first, to: visible.to - first },
    keys: Object.entries(keys)
      .map(([frame, key]) => ({ frame: Number(frame) - first, ...key }))
      .sort((a, b) => a.frame - b.frame),
    ...(track && { ride: toRide(track, rides.home, first) }),
    ...(matte && rasters && { raster: { ...matte, start: matte.start - first, frames: rasters(matte.file) } }),
  };
}

export function toRide({ frames, anchors }: Pick<TrackNode, 'frames' | 'anchors'>, home: number, first = 0): Ride {
  const known = new Map(Object.entries(frames).map(([frame, entry]) => [Number(frame), entry.slice(1)]));
  for (const [frame, corners] of Object.entries(anchors)) known.set(Number(frame), corners);
  const quads = [...known].map(([frame, corners]) => ({ frame: frame - first, quad: quadOf(corners) }));
  return { home: home - first, quads: quads.sort((a, b) => a.frame - b.frame) };
}

/** What of a removal's settings decides on its reveal, as text. The usual sources are as none that were chosen. */
export function revealText({ reach, sources, donor, plate }: TakeSettings): string {
  const own = sources && sources.join() !== FILL_DEFAULTS.sources.join() ? { sources, donor, plate } : {};
  return JSON.stringify({ reach, ...own });
}

/** What of a removal decides on its matte, as text: equal texts, equal mattes. */
export function marksText(node: Marks): string {
  const { grow, featherIn, featherOut } = node;
  const shapes = counting(node).map(([, { operation, visible, keys, rides, matte }]) => ({
    operation,
    ...(matte && { matte: [matte.file, matte.start, matte.pace] }),
    visible: visible ?? null,
    ...(rides &&
      (node.tracks as Marks['tracks'] | undefined)?.[rides.track] && {
        ride: toRide(node.tracks[rides.track], rides.home),
      }),
    keys: Object.entries(keys)
      .sort((a, b) => Number(a[0]) - Number(b[0]))
      .map(([frame, { ease, points }]) => [
        Number(frame),
        ease,
        points.map(({ x, y, inX, inY, outX, outY }) => [x, y, inX, inY, outX, outY]),
      ]),
  }));
  // Without a holdout the text is as it was before there were any: takes of then are still those of the same marks.
  const holds = shapes.some(({ operation }) => operation === 'hold');
  const moved = node.holdGrow ? { holdGrow: node.holdGrow } : {};
  const hold = holds ? { ...moved, holdFeather: node.holdFeather ?? HOLD_FEATHER } : {};
  return JSON.stringify({ grow, featherIn, featherOut, ...hold, shapes });
}
