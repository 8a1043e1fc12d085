import { grow, type FrameReader, type Rect } from '../image/format.ts';
import {
  areaOf,
  common,
  distanceFrom,
  grown,
  maskIn,
  moved,
  reduced,
  shared,
  trimmed,
  type MaskPatch,
} from '../movers/maskPatch.ts';
import type { Matrix3, Point } from '../geometry/homography.ts';
import { carry, REACH } from './carry.ts';
import { cutOut, OPEN, OTHER, THING } from './cutOut.ts';
import { learn, leanOf, type Models } from './models.ts';
import { againstBackground, cuePlaces, movementLean, type MotionCue } from './motionCue.ts';
import { readCut, stepFor, type PictureCut } from './pictureCut.ts';
import { Resting, type RestingPlace } from './resting.ts';
import { sharpen } from './sharpen.ts';
import { bytesOf } from '../image/mapped.ts';

/** An outline that a person has settled. Px of the frame. */
export interface OutlineAnchor {
  frame: number;
  mask: MaskPatch;
}

export interface FollowedOutline extends OutlineAnchor {
  /** 0 to 1: how sure it is; anchors have 1. */
  confidence: number;
  /** It is hidden in part, or cannot be told, and lies where its background has gone since it was last seen. */
  held?: true;
}

export interface FollowRequest {
  anchors: readonly OutlineAnchor[];
  /** Frames that are followed, inclusive. */
  first: number;
  last: number;
  /** What moves in a part of a frame (px of the frame), if that is known. */
  cueAt?(frame: number, part: Rect): MotionCue | undefined;
  /** Where the background of a frame lies in another, px of the frame; undefined if they do not show the same place. */
  backgroundTo?(from: number, to: number): Matrix3 | undefined;
}

/** Long side of the picture around the thing, px. */
const WORK_SIDE = 200;
/** Px on both sides of the border, as carried along, in which the new one is looked for. */
const BAND = 6;
/** What a px of way from the carried border costs. */
const WAY_COST = 0.5;
/** Px around the thing that are looked at. */
const AROUND = REACH + BAND + 4;
const SMOOTH = 8;
/** Below this confidence the outline is not believed; it ends where that lasts. */
const UNSURE = 0.3;
const PATIENCE = 3;
/** Share of the anchor's area under which the thing counts as gone. */
const GONE_SHARE = 0.04;
/** Change of area against the usual, in logarithms, at which confidence is halved; and how fast the usual follows. */
const SWELLING = 0.22;
const SETTLING = 0.1;
const NO_WAY = { x: 0, y: 0 };
/** How like itself a resting thing must be, where something may pass in front of it, for it to be seen (intersection over union). */
const WHOLE = 0.97;
/** Confidence of a resting thing where it is hidden. */
const HELD = 0.5;
/** From this confidence on a thing that moves as a whole does not rest any more. */
const SET_OFF = 0.6;

/**
 * Follows an outline over the shot, away from its anchors, frame by frame: taken along by its parts, then cut out anew within a
 * band, by the colours of the anchor and of the frame before. Between two anchors it is followed from both; each frame comes
 * from the nearer one, and is as sure as both agree. Where it cannot be told any more it ends; a thing that rests goes on with
 * its background, so that something may pass in front of it.
 */
export function* followOutline(frames: FrameReader, request: FollowRequest): Generator<FollowedOutline> {
  const { first, last } = request;
  const anchors = [...request.anchors].sort((a, b) => a.frame - b.frame);
  for (const { frame, mask } of anchors) yield { frame, mask, confidence: 1 };
  if (anchors.length === 0) return;
  yield* away(frames, request, anchors[0], -1, first);
  for (let k = 0; k + 1 < anchors.length; k++) yield* between(frames, request, anchors[k], anchors[k + 1]);
  yield* away(frames, request, anchors.at(-1)!, 1, last);
}

function* between(
  frames: FrameReader,
  request: FollowRequest,
  a: OutlineAnchor,
  b: OutlineAnchor,
): Generator<FollowedOutline> {
  const ahead = new Map([...away(frames, request, a, 1, b.frame - 1)].map((f) => [f.frame, f]));
  for (const back of away(frames, request, b, -1, a.frame + 1)) {
    const other = ahead.get(back.frame);
    ahead.delete(back.frame);
    if (!other) {
      yield back;
      continue;
    }
    const near = back.frame - a.frame <= b.frame - back.frame ? other : back;
    const nearer = near.held ? ([other, back].find((f) => !f.held) ?? near) : near;
    const agreed = likeness(other.mask, back.mask);
    yield { ...nearer, confidence: Math.max(agreed, Math.min(nearer.confidence, 0.5)) };
  }
  yield* ahead.values();
}

/** What the next frame is found from. */
interface State {
  frame: number;
  cut: PictureCut;
  /** Px of the reduced picture. */
  mask: MaskPatch;
}

function* away(
  frames: FrameReader,
  request: FollowRequest,
  anchor: OutlineAnchor,
  direction: 1 | -1,
  end: number,
): Generator<FollowedOutline> {
  const step = stepFor(Math.max(anchor.mask.width, anchor.mask.height), WORK_SIDE - 2 * AROUND);
  const mask = reduced(anchor.mask, step);
  const least = GONE_SHARE * areaOf(mask);
  const cut = readCut(frames, anchor.frame, grow(mask, AROUND), step);
  const taught = modelsOf({ cut, mask });
  const cue = request.cueAt?.(anchor.frame, anchor.mask);
  let moves = cue !== undefined && movesByItself(mask, step, cue);
  let resting = cue && !moves ? Resting.from(request, anchor, cue, frames.format) : undefined;
  let state: State = { frame: anchor.frame, cut, mask };
  let usual = areaOf(mask);
  let doubt = 0;
  const waiting: FollowedOutline[] = [];
  for (let frame = anchor.frame + direction; frame * direction <= end * direction; frame += direction) {
    let place = resting?.at(frame, state.frame);
    // With its background it has gone out of the picture.
    if (place && areaOf(place.mask) === 0) return;
    const to = { frame, step, way: place?.way, passing: place?.cue };
    const next = nextOutline(frames, state, taught, to, moves ? request.cueAt : undefined);
    // A thing that swells or shrinks at once has been taken for another.
    const swollen = Math.abs(Math.log(areaOf(next.mask) / usual));
    const confidence = next.confidence * Math.max(0, Math.min(1, 1.5 - swollen / SWELLING));
    if (place && confidence > SET_OFF && movesByItself(next.mask, step, place.cue)) [moves, place] = [true, undefined];
    if (!place) resting = undefined;
    if (place && confidence < UNSURE) {
      yield heldAt(frame, place);
      continue;
    }
    if (areaOf(next.mask) < Math.max(6, least)) return;
    usual += SETTLING * (areaOf(next.mask) - usual);
    const found = sharpen(frames, frame, next.mask, step);
    // What passes by is not invited: a thing that rests is where it was.
    const own = place?.passed ? common(found, grown(place.mask, step)) : found;
    const result = { frame, mask: trimmed(own), confidence };
    if (place?.passed && likeness(place.mask, result.mask) < WHOLE) {
      yield heldAt(frame, place);
      continue;
    }
    doubt = confidence < UNSURE ? doubt + 1 : 0;
    // What is doubtful is given out only if it gets better again.
    waiting.push(result);
    if (doubt > PATIENCE) return;
    if (doubt === 0) yield* waiting.splice(0);
    if (place && !place.passed) resting?.saw(result);
    state = { frame, cut: next.cut, mask: own === found ? next.mask : reduced(result.mask, step) };
  }
  yield* waiting;
}

const heldAt = (frame: number, { mask }: RestingPlace): FollowedOutline => ({
  frame,
  mask,
  confidence: HELD,
  held: true,
});

function nextOutline(
  frames: FrameReader,
  before: State,
  taught: Models,
  { frame, step, way = NO_WAY, passing }: { frame: number; step: number; way?: Point; passing?: MotionCue },
  cueAt?: FollowRequest['cueAt'],
): State & { confidence: number } {
  const ahead = { x: Math.round(way.x / step), y: Math.round(way.y / step) };
  const wide = readCut(frames, frame, grow(moved(before.mask, ahead.x, ahead.y), AROUND), step);
  const carried = carry(before.mask, before.cut, wide, ahead);
  const guess = trimmed(carried.mask);
  const cut = readCut(frames, frame, grow(guess, AROUND), step);
  const apart = distanceFrom(guess, cut);
  const settled = bytesOf(apart, (d) => (d > BAND ? OTHER : d < -BAND ? THING : OPEN));
  const lean = leanWith(cut, [taught, modelsOf(before)], settled);
  const cue = cueAt?.(frame, scaledUp(cut, step));
  const places = cue && cuePlaces(cue, cut, step);
  for (let i = 0; i < lean.length; i++) {
    const movement = places ? movementLean(cue!, places[i], true) : 0;
    // Movement beside the thing may be another's.
    lean[i] += WAY_COST * apart[i] + (apart[i] > 0 ? Math.max(0, movement) : movement);
  }
  // What passes by in front of a thing that rests is not the thing.
  if (passing) cuePlaces(passing, cut, step).forEach((p, i) => (lean[i] += Math.max(0, -passing.rest[p])));
  const told = cue ? { ...cut, difference: againstBackground(cue, cut) } : cut;
  const data = cutOut(told, lean, settled, SMOOTH);
  const mask = trimmed({ x: cut.x, y: cut.y, width: cut.width, height: cut.height, data });
  // A thing that changes its shape is like its guess up to a rim; one that is lost is not.
  const alike = likeness(guess, mask);
  const confidence = Math.max(0, Math.min(1, (alike - 0.4) / 0.4)) * Math.min(1, carried.found / 0.6);
  return { frame, cut, mask, confidence };
}

/** Whether most of a mask moves against the background. */
function movesByItself(mask: MaskPatch, step: number, cue: MotionCue): boolean {
  const places = cuePlaces(cue, mask, step).filter((_, i) => mask.data[i]);
  return places.filter((i) => cue.rest[i] < 0).length > 0.3 * places.length;
}

const modelsOf = ({ cut, mask }: { cut: PictureCut; mask: MaskPatch }): Models =>
  learn(cut, { mask: maskIn(mask, cut) });

function leanWith(cut: PictureCut, models: readonly Models[], settled: Uint8Array): Float32Array {
  const parts = models.map((m) => leanOf(cut, m, settled));
  return parts[0].map((_, i) => parts.reduce((sum, p) => sum + p[i], 0) / parts.length);
}

/** Size of what two masks share over that of both together (intersection over union). */
export function likeness(a: MaskPatch, b: MaskPatch): number {
  const both = shared(a, b);
  return both / Math.max(1, areaOf(a) + areaOf(b) - both);
}

const scaledUp = ({ x, y, width, height }: Rect, step: number): Rect => ({
  x: x * step,
  y: y * step,
  width: width * step,
  height: height * step,
});
