import Joi from 'joi';
import { LOSS_REASONS, type LossReason } from '../core/tracking/followRegion.ts';
import type { TrackEntry } from './document.ts';
import type { WorkProgress } from './takes.ts';

/** The following of a track or of an outline that is under way or was done last. */
export interface FollowView extends WorkProgress {
  id: string;
  shotId: string;
  /** The track, or the shape with the outline. */
  targetId: string;
  /** What is known so far, by frame; written into the document when it ends. Of an outline: x0 y0 x1 y1 …, px as shown. */
  found: Record<string, TrackEntry>;
}

export interface FollowBody {
  /** Frames of the clip to follow it over, inclusive; without them the whole shot with its handles. */
  first?: number;
  last?: number;
  /** Id of the edit that made it necessary: one undo takes both back. */
  completes?: string;
}

const frame = Joi.number().integer().min(0).max(1_000_000);

export const followBody = Joi.object<FollowBody>({
  first: frame,
  last: frame.min(Joi.ref('first')),
  completes: Joi.string().uuid(),
});

export const trackParams = Joi.object<{ id: string; trackId: string }, true>({
  id: Joi.string().uuid().required(),
  trackId: Joi.string().uuid().required(),
});

export const pointParams = Joi.object<{ id: string; trackId: string; frame: number }, true>({
  id: Joi.string().uuid().required(),
  trackId: Joi.string().uuid().required(),
  frame: frame.required(),
});

/** What a track holds on to at a frame: x, y and weight (0..1) of each place, px of the picture as shown. */
export interface TrackPoints {
  points: number[];
}

/** Why a region is lost, as the second half of a sentence. */
export const LOSS_TEXT: Record<(typeof LOSS_REASONS)[number], string> = {
  hidden: 'something hides it, or it does not look like itself any more',
  out_of_frame: 'it has left the picture',
  too_small: 'it has become too small to tell from grain',
  no_texture: 'there is nothing on it to hold on to',
  turned_away: 'it is seen from its edge',
} satisfies Record<LossReason, string>;
