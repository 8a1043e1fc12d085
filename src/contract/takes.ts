import Joi from 'joi';
import { MAX_NAME } from './clips.ts';
import type { TakeSettings } from './document.ts';

export type WorkState = 'queued' | 'running' | 'done' | 'failed' | 'cancelled';

/** How far a piece of work is. */
export interface WorkProgress {
  state: WorkState;
  /** See {@link STAGES}. */
  stage: string;
  /** Of the whole, 0..1. */
  progress: number;
  /** Seconds left, as far as can be told. */
  secondsLeft: number | null;
  /** Why it failed: a code, a sentence with a next step, and the log behind it. */
  error: { code: string; message: string; log?: string } | null;
}

/** Stages of work, in words for people. */
export const STAGES: Readonly<Record<string, string>> = {
  waiting: 'waits for its turn',
  decode: 'reads the frames',
  mattes: 'draws the mattes',
  motion: 'follows the camera',
  reveal: 'looks up what is seen when',
  gather: 'gathers the background',
  behind: 'looks for who passes behind',
  unseen: 'completes what was never seen',
  finish: 'matches light, sharpness and grain',
  preview: 'makes it playable',
  write: 'writes the file',
  follow: 'follows the region',
};

/** Sums over frames, px of hole. */
export interface RevealTotal {
  hole: number;
  seen: number;
  thin: number;
  unseen: number;
}

/** What a take was made with: the removal's settings, and what varies in what is invented. */
export interface MadeWith extends TakeSettings {
  /** Missing = 1. */
  seed?: number;
}

export interface TakeView extends WorkProgress {
  id: string;
  shotId: string;
  removalId: string;
  name: string;
  draft: boolean;
  settings: MadeWith;
  /** Frames of the clip that it covers. */
  first: number;
  count: number;
  /** Frames of the clip that alone are filled, inclusive; null = all. Such a take is for looking at, never the pick. */
  only: { first: number; last: number } | null;
  /** Whether its marks, range or the picks beneath it have changed since. */
  stale: boolean;
  picked: boolean;
  /** Names the hand trims that its picture has now; empty if there are none. */
  trims: string;
  /** Whether its playable copy is there and has these trims. */
  playable: boolean;
  /** Takes of earlier removals that it was computed on, in order. */
  beneath: string[];
  /** Stretches of frames that can be looked at, inclusive. */
  finished: [number, number][];
  outcome: { hole: number; unseen: number; tripod: boolean; seconds: number } | null;
  createdAt: string;
}

export interface TakeBody {
  removalId: string;
  draft: boolean;
  /** Frames of the clip that alone are to be filled, inclusive; the others still serve as sources. */
  only?: { first: number; last: number };
  /** Another one gives another try at what no frame shows; missing = 1. */
  seed?: number;
}

export const takeBody = Joi.object<TakeBody>({
  removalId: Joi.string().uuid().required(),
  draft: Joi.boolean().required(),
  seed: Joi.number().integer().min(1).max(1_000_000),
  only: Joi.object({
    first: Joi.number().integer().min(0).max(1_000_000).required(),
    last: Joi.number().integer().min(Joi.ref('first')).max(1_000_000).required(),
  }),
});

export interface TakeChange {
  name?: string;
  picked?: boolean;
}

export const takeChange = Joi.object<TakeChange>({
  name: Joi.string().trim().min(1).max(MAX_NAME),
  picked: Joi.boolean(),
}).min(1);

/** What the shot remembers of a removal's background. Frames are the clip's. */
export interface RevealView {
  state: 'working' | 'ready' | 'failed';
  progress: number;
  error: { code: string; message: string } | null;
  data: RevealData | null;
}

export interface RevealData {
  /** Names the result: same key, same data. */
  key: string;
  first: number;
  tripod: boolean;
  /** Whether the film has black bars along its sides. They stay as they are, and nothing is taken from them. */
  bars: boolean;
  /** Whether something is fixed to the picture, such as a logo. It stays as well. */
  fixed: boolean;
  /** Whether something that moves carries what goes away, and is followed instead of the background. */
  carried: boolean;
  /** Frames at which the picture changes at once: nothing is carried from one side to the other. */
  cuts: number[];
  total: RevealTotal;
  /** Frame in which completing the unseen serves the most, and the share of all unseen that it serves. */
  best: { frame: number; share: number } | null;
  /** Side of a cell of the map, and where the map's corner lies, px of the frame as shown. */
  cell: number;
  originX: number;
  originY: number;
  /** What sticks out of the matte; null while the shot has not been searched for what moves. */
  coverage: CoverageData | null;
  /** One entry per frame; the part of the map around its hole, in cells, and where its bytes begin. */
  frames: (RevealTotal & { x: number; y: number; width: number; height: number; offset: number })[];
}

/** Frames in which something that moves with a removal, its shadow too, lies outside of its matte. */
export interface CoverageData {
  /** Share of the thing that sticks out, and outlines of its parts: x0 y0 …, px of the picture as shown. */
  flagged: { frame: number; share: number; outlines: number[][] }[];
  /** What mends it best: growing the matte by px, or a key at a frame. */
  mend: { kind: 'grow' | 'key'; px: number; frame: number } | null;
}

export const EXPORT_KINDS = ['ffv1', 'h264', 'png', 'fill', 'matte', 'matte_png'] as const;
export type ExportKind = (typeof EXPORT_KINDS)[number];

export interface ExportView extends WorkProgress {
  id: string;
  shotId: string;
  kind: ExportKind;
  /** Name to download it under. */
  fileName: string;
  size: number | null;
  createdAt: string;
}

export interface ExportBody {
  kind: ExportKind;
  /** For the fill and the matte: whose. */
  removalId?: string;
}

export const exportBody = Joi.object<ExportBody>({
  kind: Joi.string()
    .valid(...EXPORT_KINDS)
    .required(),
  removalId: Joi.string()
    .uuid()
    .when('kind', { is: Joi.valid('fill', 'matte', 'matte_png'), then: Joi.required(), otherwise: Joi.forbidden() }),
});

export const frameParams = Joi.object<{ id: string; frame: number }, true>({
  id: Joi.string().uuid().required(),
  frame: Joi.number().integer().min(0).max(1_000_000).required(),
});

/** Which hand trims a picture is to have, see {@link TakeView.trims}. */
export const trimsQuery = Joi.object<{ trims: string }, true>({
  trims: Joi.string()
    .pattern(/^[0-9a-f]{16}$/)
    .allow('')
    .default(''),
});

export const revealParams = Joi.object<{ id: string; removalId: string }, true>({
  id: Joi.string().uuid().required(),
  removalId: Joi.string().uuid().required(),
});

/** Key of a reveal's maps. */
export const keyParams = Joi.object<{ key: string }, true>({
  key: Joi.string()
    .pattern(/^[0-9a-f]{64}$/)
    .required(),
});
