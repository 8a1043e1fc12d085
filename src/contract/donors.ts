import Joi from 'joi';
import type { Donor } from '../core/fill/settings.ts';
import { LIMITS } from './document.ts';

/** A donor that was moved to where it goes on from what surrounds the hole at its frame; px of the picture as shown. */
export interface FittedDonor extends Donor {
  /** How like the hole's surroundings are to the donor's there, 0..1. */
  likeness: number;
}

const place = Joi.number().min(-LIMITS.place).max(LIMITS.place).required();

/** Where it lies now. */
export const donorBody = Joi.object<Donor>({
  frame: Joi.number().integer().min(0).max(1_000_000).required(),
  dx: place,
  dy: place,
});
