import Joi from 'joi';
import { MAX_NAME } from './clips.ts';
import { SOURCE_KINDS } from '../core/fill/settings.ts';
import { NO_TRIM, TRIM_FIELDS, type Trim } from '../core/fill/trim.ts';
import { LOSS_REASONS } from '../core/tracking/followRegion.ts';
import { TRACK_PARTS } from '../core/tracking/regionModel.ts';
import { LIMITS, type ShotDocument, type TakeSettings } from './document.ts';
import { TRIM_LIMITS, type TrimNode } from './trim.ts';

const id = /^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/;
const frame = Joi.number().integer().min(0).max(1_000_000);
/** Keys of what is kept by frame. */
const byFrame = /^(0|[1-9]\d{0,6})$/;
const place = Joi.number().min(-LIMITS.place).max(LIMITS.place).required();
const name = Joi.string().min(1).max(MAX_NAME).required();
const rank = Joi.number().required();

const point = Joi.object({ x: place, y: place, inX: place, inY: place, outX: place, outY: place });

const ease = Joi.string().valid('linear', 'smooth', 'hold').required();

const key = Joi.object({
  ease,
  points: Joi.array().items(point).min(2).max(LIMITS.points).required(),
});

const strokes = Joi.array()
  .items(
    Joi.array()
      .items(place)
      .min(2)
      .max(2 * LIMITS.points),
  )
  .max(LIMITS.points);

/** What was pointed at in a frame. */
export const pointed = Joi.object({
  add: strokes.required(),
  remove: strokes.required(),
  box: Joi.array().ordered(place, place, Joi.number().min(1).required(), Joi.number().min(1).required()),
  mends: Joi.boolean(),
});

const stretches = Joi.array()
  .items(Joi.object({ from: frame.required(), to: frame.required() }))
  .max(LIMITS.keys);

const shape = Joi.object({
  name,
  rank,
  kind: Joi.string().valid('path', 'ellipse', 'rectangle', 'matte').required(),
  operation: Joi.string().valid('add', 'subtract', 'hold').required(),
  rides: Joi.object({ track: Joi.string().pattern(id).required(), home: frame.required() }),
  variant: Joi.object({ of: Joi.string().pattern(id).required(), off: Joi.boolean().required() }),
  outline: Joi.object({
    anchors: Joi.object().pattern(byFrame, pointed).min(1).max(LIMITS.keys).required(),
    lost: stretches.required(),
    held: stretches,
  }),
  visible: Joi.object({ from: frame.required(), to: frame.min(Joi.ref('from')).required() }),
  matte: Joi.object({
    file: Joi.string().pattern(id).required(),
    count: Joi.number().integer().min(1).required(),
    start: Joi.number().integer().min(-1_000_000).max(1_000_000).required(),
    pace: Joi.number().min(-LIMITS.pace).max(LIMITS.pace).required(),
  }).when('kind', { is: 'matte', then: Joi.required(), otherwise: Joi.forbidden() }),
  keys: Joi.object()
    .pattern(byFrame, key)
    .when('kind', { is: 'matte', then: Joi.object().max(0), otherwise: Joi.object().min(1).max(LIMITS.keys) })
    .required(),
});

/** Px and percent as in the document. */
export const takeSettings = Joi.object<TakeSettings, true>({
  reach: Joi.number().integer().min(1).max(LIMITS.reach).required(),
  light: Joi.number().min(0).max(100).required(),
  grain: Joi.boolean().required(),
  sources: Joi.array()
    .items(Joi.string().valid(...SOURCE_KINDS))
    .unique()
    .min(1),
  donor: Joi.object({
    frame: Joi.number().integer().min(0).max(10_000_000).required(),
    dx: place.required(),
    dy: place.required(),
  }),
  plate: Joi.object({ file: Joi.string().pattern(id).required(), frame: frame.required(), name }),
});

const trimNumbers = (settle: (number: Joi.NumberSchema, field: keyof Trim) => Joi.NumberSchema) =>
  Object.fromEntries(
    TRIM_FIELDS.map((field) => [
      field,
      settle(Joi.number().min(TRIM_LIMITS[field][0]).max(TRIM_LIMITS[field][1]), field),
    ]),
  );

const trim = Joi.object({ ease, ...trimNumbers((number) => number.required()) });

/** Hand trims in a file of their own: what is missing changes nothing. */
export const trimFile = Joi.object<TrimNode, true>()
  .pattern(
    byFrame,
    Joi.object({
      ease: Joi.string().valid('linear', 'smooth', 'hold').default('linear'),
      ...trimNumbers((number, field) => number.default(NO_TRIM[field])),
    }),
  )
  .max(LIMITS.keys)
  .prefs({ convert: false });

const removal = Joi.object({
  name,
  rank,
  hidden: Joi.boolean().required(),
  grow: Joi.number().min(-LIMITS.grow).max(LIMITS.grow).required(),
  featherIn: Joi.number().min(0).max(LIMITS.feather).required(),
  featherOut: Joi.number().min(0).max(LIMITS.feather).required(),
  holdGrow: Joi.number().min(-LIMITS.grow).max(LIMITS.grow),
  holdFeather: Joi.number().min(0).max(LIMITS.feather),
  shadowStays: Joi.boolean(),
  settings: takeSettings.required(),
  trim: Joi.object().pattern(byFrame, trim).max(LIMITS.keys),
  shapes: Joi.object().pattern(id, shape).max(LIMITS.shapes).required(),
});

const corners = Joi.array().items(place).length(8);

const track = Joi.object({
  name,
  rank,
  parts: Joi.array()
    .items(Joi.string().valid(...TRACK_PARTS))
    .unique()
    .min(1)
    .required(),
  anchors: Joi.object().pattern(byFrame, corners).min(1).max(LIMITS.keys).required(),
  frames: Joi.object()
    .pattern(
      byFrame,
      Joi.array()
        .ordered(Joi.number().min(0).max(1).required(), ...Array(8).fill(place))
        .length(9),
    )
    .max(LIMITS.keys)
    .required(),
  losses: Joi.array()
    .items(
      Joi.object({
        from: frame.required(),
        to: frame.required(),
        reason: Joi.string()
          .valid(...LOSS_REASONS)
          .required(),
      }),
    )
    .max(LIMITS.keys)
    .required(),
});

/** Numbers must be numbers here: nothing is converted. */
export const shotDocument = Joi.object<ShotDocument>({
  removals: Joi.object().pattern(id, removal).max(LIMITS.removals).required(),
  tracks: Joi.object().pattern(id, track).max(LIMITS.tracks).required(),
}).prefs({ convert: false });
