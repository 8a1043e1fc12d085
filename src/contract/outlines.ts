import Joi from 'joi';
import { LIMITS, type Pointed } from './document.ts';
import { pointed } from './documentSchema.ts';

/** Asks for the outline of what was pointed at in a frame. Places in px of the picture as shown. */
export interface PointBody extends Pointed {
  /** Of the clip. */
  frame: number;
  /** The outline so far, x0 y0 x1 y1 …, that is to be mended. */
  prior?: number[];
  /** Strokes are painted and erased as they are, px wide; without it the thing under them is looked for. */
  brush?: number;
}

export interface PointedOutline {
  /** x0 y0 x1 y1 …; empty if there is nothing. */
  outline: number[];
}

export const pointBody = pointed.keys({
  frame: Joi.number().integer().min(0).max(1_000_000).required(),
  prior: Joi.array()
    .items(Joi.number().min(-LIMITS.place).max(LIMITS.place))
    .min(6)
    .max(2 * LIMITS.points),
  brush: Joi.number().min(1).max(400),
}) as Joi.ObjectSchema<PointBody>;

export const shapeParams = Joi.object<{ id: string; shapeId: string }, true>({
  id: Joi.string().uuid().required(),
  shapeId: Joi.string().uuid().required(),
});
