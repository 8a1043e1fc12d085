import Joi from 'joi';
import type { WorkProgress } from './takes.ts';

/**
 * The bringing in of a matte: an upload that is read, and then lies in the document as a removal of its own; or one that is
 * made of an outline, of which it becomes a variant.
 */
export interface MatteView extends WorkProgress {
  id: string;
  shotId: string;
  /** Of the file, or of the shape. */
  name: string;
}

/** A matte to be made of an outline, with the edge that the picture shows. */
export interface SoftenBody {
  /** How far on both sides of the outline the edge may lie, px. */
  reach: number;
  /** The outline is a rough one around something that moves: only that becomes the matte, not what shows between its parts. */
  apart?: boolean;
  /** Id of the edit right before that this one completes: one undo takes both back. */
  completes?: string;
}

export const softenBody = Joi.object<SoftenBody>({
  reach: Joi.number().min(2).max(60).required(),
  apart: Joi.boolean(),
  completes: Joi.string().uuid(),
});

export const mattePicture = Joi.object<{ id: string; frame: number }, true>({
  id: Joi.string().uuid().required(),
  frame: Joi.number().integer().min(0).max(1_000_000).required(),
});

/** Header of a matte's picture: x, y, width and height of the part above 0; the body holds its values, a byte each. */
export const RECT_HEADER = 'x-rect';
