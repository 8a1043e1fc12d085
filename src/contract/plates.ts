import Joi from 'joi';
import type { WorkProgress } from './takes.ts';

/** A plate of a removal as its settings name it: its file, and the frame of the clip at which it lies as it is. */
export interface PlateNode {
  file: string;
  frame: number;
  name: string;
}

/** The making of a plate: built from the shot, or a picture that is read; it then lies in the removal's settings. */
export interface PlateView extends WorkProgress {
  id: string;
  shotId: string;
  removalId: string;
  name: string;
  frame: number;
}

/** A plate to be built from frames of the clip. */
export interface PlateBody {
  removalId: string;
  /** Whose place and light it gets. */
  frame: number;
  /** Inclusive; without them the whole shot with its handles. */
  first?: number;
  last?: number;
  /** The mean of frames that agree, or the median of all. */
  statistic: 'mean' | 'median';
}

const frame = Joi.number().integer().min(0).max(1_000_000);

export const plateBody = Joi.object<PlateBody>({
  removalId: Joi.string().uuid().required(),
  frame: frame.required(),
  first: frame,
  last: frame.when('first', { is: Joi.exist(), then: Joi.number().min(Joi.ref('first')) }),
  statistic: Joi.string().valid('mean', 'median').required(),
}).and('first', 'last');

/** How a plate is given out: small to be looked at, or whole, 16 bit with alpha. */
export const PLATE_PICTURES = ['small', 'png', 'tif'] as const;
export type PlatePicture = (typeof PLATE_PICTURES)[number];

export const platePicture = Joi.object<{ id: string; kind: PlatePicture }, true>({
  id: Joi.string().uuid().required(),
  kind: Joi.string()
    .valid(...PLATE_PICTURES)
    .required(),
});
