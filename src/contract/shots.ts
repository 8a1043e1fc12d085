import Joi from 'joi';
import { MAX_NAME } from './clips.ts';
import type { ShotDocument } from './document.ts';

/** A range of a clip that is worked on. Frames are the clip's, inclusive. */
export interface ShotView {
  id: string;
  clipId: string;
  name: string;
  first: number;
  last: number;
  /** Frames outside first..last that feed a fill and are not exported. */
  handleBefore: number;
  handleAfter: number;
  createdAt: string;
}

/** A shot with its document. */
export interface ShotState {
  shot: ShotView;
  document: ShotDocument;
  revision: number;
  /** What undo and redo would do, in words; null = nothing. */
  undo: string | null;
  redo: string | null;
}

/** One operation of RFC 6902. */
export interface PatchOperation {
  op: 'add' | 'remove' | 'replace' | 'test' | 'move' | 'copy';
  path: string;
  from?: string;
  value?: unknown;
}

export interface EditBody {
  /** Chosen by the page: the same edit sent twice is applied once. */
  editId: string;
  /** Revision that the patch was made on. */
  base: number;
  /** What it does, in words, for undo. */
  label: string;
  patch: PatchOperation[];
  /** Id of the edit right before that this one completes: one undo takes both back. */
  completes?: string;
}

/** A step of undo or redo. */
export interface StepBody {
  /** Chosen by the page: the same step asked for twice is taken once. */
  stepId: string;
}

/** Frames that a shot reads: with its handles, within the clip. */
export function workRange(
  shot: ShotView | Omit<ShotView, 'createdAt'>,
  clipFrames: number,
): { first: number; count: number } {
  const first = Math.max(0, shot.first - shot.handleBefore);
  const last = Math.min(clipFrames - 1, shot.last + shot.handleAfter);
  return { first, count: last - first + 1 };
}

const uuid = Joi.string().uuid();
const frame = Joi.number().integer().min(0).max(1_000_000);
const handle = Joi.number().integer().min(0).max(1000);

export const MOST_FRAMES = 2000;

export const idParams = Joi.object<{ id: string }, true>({ id: uuid.required() });

export interface ShotBody {
  clipId: string;
  name: string;
  first: number;
  last: number;
  handleBefore: number;
  handleAfter: number;
}

export const shotBody = Joi.object<ShotBody, true>({
  clipId: uuid.required(),
  name: Joi.string().trim().min(1).max(MAX_NAME).required(),
  first: frame.required(),
  last: frame.min(Joi.ref('first')).required(),
  handleBefore: handle.default(0),
  handleAfter: handle.default(0),
});

export type ShotChange = Partial<Omit<ShotBody, 'clipId'>>;

export const shotChange = Joi.object<ShotChange>({
  name: Joi.string().trim().min(1).max(MAX_NAME),
  first: frame,
  last: frame,
  handleBefore: handle,
  handleAfter: handle,
}).min(1);

export const stepBody = Joi.object<StepBody, true>({ stepId: uuid.required() });

export const editBody = Joi.object<EditBody, true>({
  editId: uuid.required(),
  completes: uuid,
  base: Joi.number().integer().min(0).required(),
  label: Joi.string().trim().min(1).max(200).required(),
  patch: Joi.array()
    .items(
      Joi.object({
        op: Joi.string().valid('add', 'remove', 'replace', 'test', 'move', 'copy').required(),
        path: Joi.string()
          .max(300)
          .pattern(/^(\/[^/]*)*$/)
          .required()
          .allow(''),
        from: Joi.string().max(300),
        value: Joi.any(),
      }),
    )
    .min(1)
    .max(20_000)
    .required(),
});
