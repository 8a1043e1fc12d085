import Joi from 'joi';
import type { WorkProgress } from './takes.ts';

/** Something that moves by itself in a shot. Frames of the clip, inclusive; places in px of the picture as shown. */
export interface MoverView {
  first: number;
  last: number;
  /** The frame that shows it largest, and the rectangle around it there: x, y, width, height. */
  best: number;
  box: [number, number, number, number];
  /** Its middle on every frame: x0 y0 x1 y1 … */
  path: number[];
  /** It only seems to move: it is nearer or farther than what lies around it, and the camera travels. Such come last. */
  stands?: boolean;
}

/** The search of a shot for what moves by itself. */
export interface SearchView extends WorkProgress {
  id: string;
  shotId: string;
  /** Frames that were searched. */
  from: number;
  to: number;
  movers: MoverView[];
}

/** Outline of a mover by frame of the clip: x0 y0 x1 y1 …, px of the picture as shown. */
export type MoverOutlines = Record<string, number[]>;

export const moverParams = Joi.object<{ id: string; mover: number }, true>({
  id: Joi.string().uuid().required(),
  mover: Joi.number().integer().min(0).max(1000).required(),
});
