import { around, grow, intersect, snap, type FrameReader, type Rect } from '../image/format.ts';
import { distanceFrom, maskIn, patchOf, reduced, trimmed, type MaskPatch } from '../movers/maskPatch.ts';
import { cutOut, OPEN, OTHER, THING } from './cutOut.ts';
import { geodesicFrom } from './geodesic.ts';
import { hintedRect, NO_HINTS, settleStrokes, type Hints } from './hints.ts';
import { coloursOf, learn, leanOf, type Models } from './models.ts';
import { againstBackground, cuePlaces, movementLean, movingAround, type MotionCue } from './motionCue.ts';
import { readCut, sizeAt, stepFor, type PictureCut } from './pictureCut.ts';
import { sharpen } from './sharpen.ts';
import { bytesOf, floatsOf } from '../image/mapped.ts';

/** Long side of the part in which a thing is first looked for, px. */
const WORK_SIDE = 240;
/** What is around a box or clicks that is looked at too, as a share of their size, and at least, px of the frame. */
const AROUND = 0.35;
const LEAST_AROUND = 24;
/** What is around clicks on something that rests: a share of the frame's long side. */
const AROUND_CLICKS = 0.08;
/**
 * Cost of a border between like px, in units of log-likelihood: what rests is told by its colours alone and needs more. What may
 * move, for all that is known, may have arms and legs.
 */
const SMOOTH_RESTING = 18;
const SMOOTH_UNKNOWN = 12;
const SMOOTH_MOVING = 8;
/** Where no more than this many times what was clicked on is found, borders are made cheaper, down to a least cost. */
const BARELY_MORE = 3;
const CHEAPER = 0.7;
const LEAST_SMOOTH = 3;
/** How far around strokes an outline is mended: a share of its size, and at least, px. */
const MEND_SHARE = 0.3;
const LEAST_MEND = 8;
/** What a px of way from an outline that is mended costs, near the strokes and elsewhere, and how many count at most. */
const WAY_COST_NEAR = 0.1;
const WAY_COST = 1.2;
const MOST_WAY = 6;
/** Rounds in which models and mask settle, where nothing but colours tells. */
const ROUNDS = 5;
/** Movement that says less than this does not tell of another thing in front of one that rests. */
const DOUBT = 1;
/** What is said against what moves apart from what was clicked on. */
const ANOTHER = 5;
/** What movement tells if something else that moves was taken away. */
const CONTESTED = 0.4;
/** How far from another that moves a px may be that one's, px of the small picture. */
const CONTESTED_PX = 4;
/** How wide a rough outline's rim is in which it tells nothing, px of the small picture, and what it says within. */
const ROUGH_RIM_PX = 2;
const TAKEN_FOR = 2;
/** How far a rough outline may lie within the thing, and what beyond that is looked at for what is around it, px of the small picture. */
const ROUGH_SLACK = 2;
const ROUGH_RIM = 8;
/** Share of the px in a box, or under the clicks, that must move for the thing to be one that moves. */
const MOVING_IN_BOX = 0.15;
const MOVING_AT_CLICKS = 0.4;

/** How far each px is from a thing's rough outline and from that of another, below 0 within, px of the small picture. */
interface Apart {
  own: Float32Array;
  other: Float32Array;
}

/**
 * Finds the thing that was pointed at, on that frame: by the colours in and around it, by edges, and by its movement against the
 * background. First in a small picture, then to the px along its border.
 *
 * @param cue - What moves in that frame, if that is known.
 * @param prior - An outline of the thing that the hints mend.
 * @returns The thing's px, in px of the frame; empty if nothing was added.
 */
export function pointOut(
  frames: FrameReader,
  frame: number,
  hints: Hints,
  cue?: MotionCue,
  prior?: MaskPatch,
): MaskPatch {
  const place = workPlace(frames, hints, cue, prior);
  if (!place) return patchOf([], 0);
  const cut = readCut(frames, frame, place.region, place.step);
  const settled = settledBy(hints, cut);
  const data = prior ? mend(cut, settled, hints, prior) : find(cut, settled, hints, cue);
  const { x, y, width, height } = cut;
  return trimmed(sharpen(frames, frame, { x, y, width, height, data }, place.step, hints));
}

/**
 * What is really it within a rough outline of something that moves: where the background shows, at its rim and between its legs,
 * is left out, and so is its shadow.
 *
 * @param others - What else moves there: another that passes behind it is not it.
 * @returns Px of the frame; the outline as it is if what is in it does not move.
 */
export function tellApart(
  frames: FrameReader,
  frame: number,
  rough: MaskPatch,
  cue: MotionCue,
  others: MaskPatch = patchOf([], 0),
): MaskPatch {
  const step = stepFor(Math.max(rough.width, rough.height), WORK_SIDE);
  const small = reduced(rough, step);
  const cut = readCut(frames, frame, grow(small, ROUGH_RIM + ROUGH_SLACK), step);
  const [own, other] = [small, reduced(others, step)].map((mask) => distanceFrom(mask, cut));
  const settled = bytesOf(own, (d, i) => (d > (other[i] < 0 ? 0 : ROUGH_SLACK) ? OTHER : OPEN));
  const data = findMoving(cut, settled, maskIn(small, cut), { ...NO_HINTS, box: rough }, cue, { own, other });
  const { x, y, width, height } = cut;
  return data ? trimmed(sharpen(frames, frame, { x, y, width, height, data }, step)) : rough;
}

function find(cut: PictureCut, settled: Uint8Array, hints: Hints, cue?: MotionCue): Uint8Array {
  const first = beginWith(hints, cut, settled);
  return (cue && findMoving(cut, settled, first, hints, cue)) ?? findResting(cut, settled, first, hints, cue);
}

/**
 * An outline that is there already, mended near what was pointed at: there colours decide, learnt where nothing was pointed at;
 * elsewhere it keeps close to what it was.
 */
function mend(cut: PictureCut, settled: Uint8Array, hints: Hints, prior: MaskPatch): Uint8Array {
  const small = reduced(prior, cut.step);
  const mask = maskIn(small, cut);
  const strokes = new Uint8Array(settled.length);
  settleStrokes(strokes, cut, cut.step, hints);
  const drawn = { x: cut.x, y: cut.y, width: cut.width, height: cut.height, data: strokes.map((s) => (s ? 1 : 0)) };
  const far = distanceFrom(drawn, cut);
  const reach = Math.max(LEAST_MEND, MEND_SHARE * Math.max(small.width, small.height));
  const unsure = bytesOf(far, (d) => (d < reach ? 1 : 0));
  const lean = leanOf(cut, learn(cut, { mask, settled, unsure }), settled);
  const way = distanceFrom(small, cut);
  for (let i = 0; i < lean.length; i++) {
    lean[i] += (unsure[i] ? WAY_COST_NEAR : WAY_COST) * Math.max(-MOST_WAY, Math.min(MOST_WAY, way[i]));
  }
  return cutOut(cut, lean, settled, SMOOTH_MOVING);
}

/** The part of the frame that is looked at, in px of a size at which it is small. */
function workPlace(
  frames: FrameReader,
  hints: Hints,
  cue?: MotionCue,
  prior?: MaskPatch,
): { region: Rect; step: number } | undefined {
  const { width, height } = frames.format;
  const frame = { x: 0, y: 0, width, height };
  const hinted = hintedRect(hints);
  const rect = prior && prior.width > 0 ? (hinted ? around(hinted, prior) : prior) : hinted;
  if (!rect) return undefined;
  const moving =
    prior || hints.box || !cue
      ? undefined
      : movingAround(
          cue,
          hints.add.flatMap(({ points }) => points),
        );
  const whole = moving ? around(rect, moving) : rect;
  const least = prior || hints.box || moving ? LEAST_AROUND : AROUND_CLICKS * Math.max(width, height);
  const wide = intersect(grow(whole, Math.max(least, AROUND * Math.max(whole.width, whole.height))), frame);
  const step = stepFor(Math.max(wide.width, wide.height), WORK_SIDE);
  const { x, y, width: w, height: h } = snap(wide, step);
  const region = { x: x / step, y: y / step, width: w / step, height: h / step };
  return { region: intersect(region, { x: 0, y: 0, ...sizeAt(frames, step) }), step };
}

function settledBy(hints: Hints, cut: PictureCut): Uint8Array {
  const settled = new Uint8Array(cut.width * cut.height).fill(OPEN);
  const { box } = hints;
  if (box) {
    forEachPx(cut, (x, y, i) => {
      if (x < box.x || y < box.y || x >= box.x + box.width || y >= box.y + box.height) settled[i] = OTHER;
    });
  }
  settleStrokes(settled, cut, cut.step, hints);
  return settled;
}

/** A first guess: the box, or what lies near the clicks. */
function beginWith(hints: Hints, cut: PictureCut, settled: Uint8Array): Uint8Array {
  if (hints.box) return settled.map((s) => (s === OTHER ? 0 : 1));
  const mask = settled.map((s) => (s === THING ? 1 : 0));
  const rect = hintedRect(hints)!;
  const near = 0.1 * Math.max(rect.width, rect.height) + 1.5 * cut.step;
  const places = hints.add.flatMap(({ points }) => points);
  forEachPx(cut, (x, y, i) => {
    if (settled[i] === OPEN && places.some((p) => Math.hypot(p.x - x, p.y - y) < near)) mask[i] = 1;
  });
  return mask;
}

function forEachPx({ x, y, width, height, step }: PictureCut, visit: (x: number, y: number, i: number) => void): void {
  for (let v = 0; v < height; v++) {
    for (let u = 0; u < width; u++) visit((x + u + 0.5) * step - 0.5, (y + v + 0.5) * step - 0.5, v * width + u);
  }
}

/** A thing that moves by itself: movement tells where it surely is, colours where its border runs. Undefined if it does not. */
function findMoving(
  cut: PictureCut,
  settled: Uint8Array,
  first: Uint8Array,
  hints: Hints,
  cue: MotionCue,
  apart?: Apart,
): Uint8Array | undefined {
  const places = cuePlaces(cue, cut, cut.step);
  const own = [...first.keys()].filter((i) => first[i]).map((i) => places[i]);
  const moving = own.filter((i) => cue.rest[i] < 0);
  if (moving.length < own.length * (hints.box ? MOVING_IN_BOX : MOVING_AT_CLICKS)) return undefined;
  // Whoever points at what looks like shadow means it.
  const shaded = moving.filter((i) => cue.shade[i] > 0.5).length < 0.5 * moving.length;
  const movement = floatsOf(places, (i) => movementLean(cue, i, shaded));
  let mask = hints.box
    ? first.map((m, i) => (m && (settled[i] === THING || movement[i] < 0) ? 1 : 0))
    : reachedFrom(first, movement, settled, cut.width);
  // What moves apart from what was clicked on is another thing.
  if (!hints.box) for (let i = 0; i < movement.length; i++) if (movement[i] < 0 && !mask[i]) movement[i] = ANOTHER;
  const removed = new Uint8Array(settled.length);
  settleStrokes(removed, cut, cut.step, { add: [], remove: hints.remove });
  if (removed.some((r, i) => r === OTHER && cue.rest[places[i]] < 0)) {
    // Something was taken away that moves as well: movement tells less, and nearness to what was pointed at more.
    for (let i = 0; i < movement.length; i++) if (movement[i] < 0) movement[i] *= CONTESTED;
    mask = nearerTo(settled, removed, mask, cut);
  }
  const unsure = bytesOf(movement, (m, i) => (m === 0 || (apart && isContested(apart, i)) ? 1 : 0));
  const models = learn(cut, { mask, settled, unsure });
  const lean = leanOf(cut, models, settled);
  for (let i = 0; i < lean.length; i++) lean[i] += movement[i];
  if (apart) leanApart(lean, cut, models, movement, settled, (i) => cue.shade[places[i]] > 0.5, apart);
  return cutOut({ ...cut, difference: againstBackground(cue, cut) }, lean, settled, SMOOTH_MOVING);
}

/** What else is known of a px where one thing is told from another that moves near it. */
function leanApart(
  lean: Float32Array,
  cut: PictureCut,
  models: Models,
  movement: Float32Array,
  settled: Uint8Array,
  isShade: (i: number) => boolean,
  apart: Apart,
): void {
  // What does not surely move is like its background there: it may be what it was taken for, unless it is shadow.
  for (let i = 0; i < lean.length; i++) {
    if (movement[i] >= 0 && !isShade(i) && apart.own[i] < -ROUGH_RIM_PX) lean[i] -= TAKEN_FOR;
  }
  const theirs = coloursOf(
    cut,
    bytesOf(apart.other, (d, i) => (d < 0 && movement[i] < 0 ? 1 : 0)),
  );
  if (!theirs) return;
  // That it moves does not tell which of the two it is.
  const against = leanOf(cut, { thing: models.thing, around: theirs }, settled);
  for (let i = 0; i < lean.length; i++) {
    if (movement[i] < 0 && isContested(apart, i)) lean[i] = Math.max(lean[i], against[i]);
  }
}

const isContested = ({ other }: Apart, i: number): boolean => other[i] < CONTESTED_PX;

/** What of a mask is nearer to what was pointed at than to what was taken away, on ways that cross no edge. */
function nearerTo(settled: Uint8Array, removed: Uint8Array, mask: Uint8Array, cut: PictureCut): Uint8Array {
  const to = geodesicFrom(
    bytesOf(settled, (s) => (s === THING ? 1 : 0)),
    cut,
  );
  const away = geodesicFrom(removed, cut);
  return mask.map((m, i) => (m && to[i] <= away[i] ? 1 : 0));
}

/** A thing that rests: its colours and those around it are learnt anew until nothing changes. */
function findResting(
  cut: PictureCut,
  settled: Uint8Array,
  first: Uint8Array,
  hints: Hints,
  cue?: MotionCue,
): Uint8Array {
  // What passes by in front of it, or behind, is not the thing.
  const passing = cue && floatsOf(cuePlaces(cue, cut, cut.step), (i) => Math.max(0, -cue.rest[i] - DOUBT));
  const clicked = areaIn(settled, THING);
  let smooth = cue ? SMOOTH_RESTING : SMOOTH_UNKNOWN;
  let mask = settle(cut, settled, first, hints, smooth, passing);
  while (areaIn(mask, 1) <= BARELY_MORE * clicked && (smooth *= CHEAPER) > LEAST_SMOOTH) {
    mask = settle(cut, settled, first, hints, smooth, passing);
  }
  return mask;
}

const areaIn = (values: Uint8Array, wanted: number): number =>
  values.reduce((n, value) => n + (value === wanted ? 1 : 0), 0);

/** @param passing - What is said against each px. */
function settle(
  cut: PictureCut,
  settled: Uint8Array,
  first: Uint8Array,
  hints: Hints,
  smooth: number,
  passing?: Float32Array,
): Uint8Array {
  let mask = first;
  for (let round = 0; round < ROUNDS; round++) {
    const lean = leanOf(cut, learn(cut, { mask, settled: hints.box ? undefined : settled }), settled);
    if (passing) for (let i = 0; i < lean.length; i++) lean[i] += passing[i];
    const next = cutOut(cut, lean, settled, smooth);
    const same = next.every((v, i) => v === mask[i]);
    mask = next;
    if (same || !mask.includes(1)) break;
  }
  return mask;
}

/** Px that surely move and hang together with the first guess. */
function reachedFrom(first: Uint8Array, movement: Float32Array, settled: Uint8Array, w: number): Uint8Array {
  const out = first.slice();
  const queue = [...out.keys()].filter((i) => out[i]);
  for (const i of queue) {
    for (const j of [i - 1, i + 1, i - w, i + w]) {
      if (out[j] !== 0 || !(movement[j] < 0) || settled[j] !== OPEN) continue;
      out[j] = 1;
      queue.push(j);
    }
  }
  return out;
}
