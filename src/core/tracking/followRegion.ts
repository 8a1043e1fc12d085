import type { Kernels } from '../../kernels/index.ts';
import { boundsOf, identity3, middleOf, type Matrix3 } from '../geometry/homography.ts';
import { grow, type FrameReader, type Rect } from '../image/format.ts';
import { alignRegion, type Alignment, type CellReading, type Known } from './alignRegion.ts';
import { cellRoom, layCells, RECORD, type CellLevel, type CellRoom } from './cells.ts';
import {
  mapQuad,
  motionMatrix,
  parametersOf,
  quadArea,
  regionSpace,
  STILL,
  type Motion,
  type Quad,
  type RegionSpace,
  type TrackPart,
} from './regionModel.ts';
import { LEVELS, readRegion, type RegionPicture } from './regionPicture.ts';
import { cutPatch, searchLevel, searchPatch, type Found, type Patch } from './searchRegion.ts';
import { trustOf, type Trust } from './trustRegion.ts';

/** Why a region cannot be followed at a frame. */
export const LOSS_REASONS = ['hidden', 'out_of_frame', 'too_small', 'no_texture', 'turned_away'] as const;
export type LossReason = (typeof LOSS_REASONS)[number];

export interface TrackedFrame {
  frame: number;
  /** The region's corners, px of the frame. */
  quad: Quad;
  /** 0..1: above 0.8 the corners are right within a pixel, below 0.3 the region is lost and the corners a guess. */
  confidence: number;
  loss?: LossReason;
  /** What was compared, with its weight: places in px of this frame. */
  points: { x: number; y: number; weight: number }[];
}

export interface FollowOptions {
  /** Frame in which the region is given. */
  anchor: number;
  /** Its corners there, px. */
  quad: Quad;
  parts: readonly TrackPart[];
  /** Last frame to follow it to, before or after the anchor. */
  to: number;
  /** Whether a place (px) of a frame belongs to something else: a holdout, another removal. */
  blocked?: (frame: number, x: number, y: number) => boolean;
}

/** Region sides above this are measured on smaller levels, px. */
const LARGE_SIDE = 560;
/** A level is used while the region's side is at least this, px of the level. */
const LEVEL_SIDE = 26;
/** Confidence below which a region counts as lost, and which it needs to be found again. */
const LOST = 0.3;
const FOUND = 0.5;
/** Likeness, against its usual one, from which a region counts as the same. */
const SAME = 0.93;
/** A place that is not much less like the region than the best one, and so far from it, px, makes the answer a guess. */
const RIVAL = 0.05;
const RIVAL_PX = 3;
const RIVAL_CELLS = 4;
/** The same for regions of so few cells, as the search sees it. */
const RIVAL_SMALL = 0.15;
/** Places that are tried after a gap, and the share of a region by which it can be told. */
const LOST_PEAKS = 5;
/** How far around a prediction is groped, px, by turns, and for how many frames. */
const GROPING_PX = [8, 16, 26];
const GROPING_FRAMES = 40;
const SHARE_AFTER_GAP = 0.25;
/** A leap of so many times the usual error of a prediction makes suspicious; px that are no surprise in any shot. */
const LEAP = 6;
const FAR_COSTS = 0.7;
const LEAST_UNREST_PX = 1.5;
/** Sides below which an edge alone may fill a region, px, and the fall of likeness beside it that a corner has. */
const EDGE_SIDE = 64;
const DROP = 0.04;
/** A frame is taken as a further known picture when the anchor's likeness has fallen below this. */
const FADING = 0.88;
const WAYPOINT_TRUST = 0.2;
const WAYPOINT_EVERY = 4;
/** How far a region is searched for, px of the search level, and how much farther with each lost frame. */
const SEARCH_PX = 11;
const SEARCH_SMALL_PX = 20;
const SEARCH_WIDER = 0.12;
/** A search result farther than this from the prediction is tried beside it, px of the search level. */
const APART_PX = 1.5;
const ITERATIONS = 10;
/** Levels, from the finest on, that are tried by themselves where all of them together find nothing, or so much weaker an answer than usual. */
const FINE_LEVELS = 2;
const WEAKER = 0.96;
/** The first parameter of shear and perspective, and the most confidence of an answer that leaves these as they were. */
const STIFF = 4;
const STIFF_TRUST = 0.75;
const STIFF_SHARE = 0.5;
/** Change that is usual from frame to frame, px at the region's rim: by moving, by growing or turning, by shear and perspective. */
const FREE_PX = 1e4;
const TURN_PX = 6;
const BEND_PX = 1.5;
/** Regions smaller than this cannot be told from grain, px². */
const SMALLEST_AREA = 49;
/** Share of a region that must lie in the frame. */
const IN_SIGHT = 0.35;
/** Contrast that a region needs, 14-bit levels: on half size, where grain is nearly gone, or on full for the smallest. */
const LEAST_CONTRAST = 55;
const LEAST_CONTRAST_SMALL = 170;
/** Shown narrower than this share of what its area would let expect, a region is seen from its edge. */
const EDGE_ON = 0.12;

interface Waypoint {
  levels: CellLevel[];
  fromAnchor: Matrix3;
  error: number;
  frame: number;
}

interface Attempt extends Trust {
  found: Alignment;
  anchorLikeness: number;
}

/**
 * Follows a region from its anchor frame by frame: search by correlation, then alignment of all of its cells to the
 * anchor's own picture, coarse to fine. Nothing is chained, so nothing drifts; a later frame is compared with as well only
 * while the anchor's picture has become unlike.
 *
 * Memory: a few MiB of kernel memory, whatever the frame's size, until the generator ends.
 *
 * @yields One frame after another, away from the anchor, which is not repeated.
 */
export function* followRegion(
  kernels: Kernels,
  frames: FrameReader,
  options: FollowOptions,
): Generator<TrackedFrame, void, void> {
  const mark = kernels.mark();
  try {
    const follower = new Follower(kernels, frames, options);
    const step = Math.sign(options.to - options.anchor);
    for (let t = options.anchor + step; step !== 0 && t !== options.to + step; t += step) yield follower.next(t);
  } finally {
    kernels.release(mark);
  }
}

class Follower {
  private readonly space: RegionSpace;
  private readonly free: number[];
  private readonly side: number;
  private readonly finest: number;
  private readonly anchorCells: CellLevel[];
  private readonly wholeArea: number;
  private readonly textured: boolean;
  private readonly rooms: CellRoom[];
  private waypoint: Waypoint | undefined;
  private patch: Patch | undefined;
  private readonly searchLevel: number;
  private motion: Motion = STILL();
  private velocity: [number, number] = [0, 0];
  private lost = 0;
  /** Running mean of how far the predictions are off, px. */
  private unrest = 0;
  /** Running mean of the likeness of good frames. */
  private usual = 0;
  /** Running mean of the confidence of found frames. */
  private trusted = 0;
  /** Whether the last search found several places that are alike. */
  private ambiguous = false;
  /** Whether the last search saw more than one place like the region. */
  private lookalike = false;
  /** How well the last search was held in all directions, 0..1: an edge holds a region across, but not along. */
  private held = 1;

  constructor(
    private readonly kernels: Kernels,
    private readonly frames: FrameReader,
    private readonly options: FollowOptions,
  ) {
    this.space = regionSpace(options.quad);
    this.free = parametersOf(options.parts);
    this.side = 2 * this.space.half;
    this.finest = Math.max(0, Math.ceil(Math.log2(this.side / LARGE_SIDE)));
    this.searchLevel = searchLevel(this.side, LEVELS);
    const levels = this.levels();
    const rooms = levels.map(() => cellRoom(kernels));
    this.rooms = levels.map(() => cellRoom(kernels));
    [this.anchorCells, this.patch] = kernels.scoped(() => {
      const picture = readRegion(kernels, frames, options.anchor, this.around(options.quad, 16 * 2 ** (LEVELS - 1)));
      return [
        this.lay(rooms, picture, options.quad, options.anchor),
        cutPatch(kernels, picture, options.quad, Math.min(this.searchLevel, picture.levels.length - 1)),
      ];
    });
    const finest = this.anchorCells[0];
    const records = kernels.f32(finest.records, finest.count * RECORD);
    this.wholeArea = sumOf(records, 14);
    // Grain alone has contrast too, but nothing that holds still: what counts is what stands out of it.
    const { patch } = this;
    const least = patch && patch.level > 0 ? LEAST_CONTRAST : LEAST_CONTRAST_SMALL;
    this.textured = this.wholeArea > 0 && patch !== undefined && patch.energy / patch.area > least ** 2;
  }

  /** Levels from fine to coarse. */
  private levels(): number[] {
    const out = [this.finest];
    while (out.length < LEVELS - this.finest && this.side / 2 ** (out[out.length - 1] + 1) >= LEVEL_SIDE)
      out.push(out[out.length - 1] + 1);
    return out;
  }

  private lay(rooms: CellRoom[], picture: RegionPicture, quad: Quad, frame: number): CellLevel[] {
    const blocked = (x: number, y: number): boolean => this.options.blocked?.(frame, x, y) ?? false;
    return this.levels()
      .filter((level) => level < picture.levels.length)
      .map((level, i) => layCells(this.kernels, rooms[i], picture, level, quad, blocked));
  }

  private around(quad: Quad, margin: number): Rect {
    const [x0, y0, x1, y1] = boundsOf(quad);
    const rect = {
      x: Math.floor(x0),
      y: Math.floor(y0),
      width: Math.ceil(x1 - x0) + 1,
      height: Math.ceil(y1 - y0) + 1,
    };
    return grow(rect, Math.ceil(margin));
  }

  next(frame: number): TrackedFrame {
    const predicted = this.predict();
    const radius = this.radius();
    const quad = this.quadOf(predicted);
    const unable = this.unable(quad);
    if (unable) return this.miss(frame, predicted, unable);
    return this.kernels.scoped(() => {
      const picture = readRegion(
        this.kernels,
        this.frames,
        frame,
        this.around(quad, radius + 11 * 2 ** this.searchLevel),
      );
      const attempt = this.best(picture, frame, predicted, this.starts(picture, predicted, radius));
      if (!attempt || !this.believable(attempt, predicted)) {
        return this.miss(frame, predicted, attempt && this.turnedAway(attempt) ? 'turned_away' : 'hidden', attempt);
      }
      if (this.lost === 0) this.unrest = 0.85 * this.unrest + 0.15 * this.offset(attempt, predicted);
      return this.hit(frame, picture, attempt);
    });
  }

  /**
   * Whether an attempt is taken for the region. What comes back after a gap, or leaps, must look as it did before and have no
   * rival: walls, planks and crowds are full of look-alikes.
   */
  private believable(attempt: Attempt, predicted: Motion): boolean {
    const same = this.usual === 0 || attempt.likeness / this.usual >= SAME;
    const leapt = this.surprise(attempt, predicted) > LEAP;
    if (this.lost > 0 || leapt) return attempt.confidence >= FOUND && same && !this.ambiguous;
    return attempt.confidence >= LOST;
  }

  /** How far an attempt lies from the prediction, px, and in units of what is usual in this shot. */
  private offset({ found: { motion } }: Attempt, predicted: Motion): number {
    return Math.hypot(motion[0] - predicted[0], motion[1] - predicted[1]) * this.space.half;
  }
  private surprise(attempt: Attempt, predicted: Motion): number {
    return this.offset(attempt, predicted) / (this.unrest + LEAST_UNREST_PX);
  }

  private quadOf(motion: Motion): Quad {
    return mapQuad(motionMatrix(motion, this.space), this.options.quad);
  }

  /** Same movement as before; while lost it dies down. */
  private predict(): Motion {
    const motion = this.motion.slice();
    const fade = 0.85 ** this.lost;
    motion[0] += this.velocity[0] * fade;
    motion[1] += this.velocity[1] * fade;
    return motion;
  }

  private radius(): number {
    const px = this.searchLevel === 0 ? SEARCH_SMALL_PX : SEARCH_PX;
    return px * 2 ** this.searchLevel * (1 + SEARCH_WIDER * Math.min(30, this.lost));
  }

  /** A reason for which looking would be guessing. */
  private unable(quad: Quad): LossReason | undefined {
    if (!this.textured) return 'no_texture';
    const area = Math.abs(quadArea(quad));
    if (area < SMALLEST_AREA) return 'too_small';
    const { width, height } = this.frames.format;
    const [x0, y0, x1, y1] = boundsOf(quad);
    const w = Math.min(x1, width) - Math.max(x0, 0);
    const h = Math.min(y1, height) - Math.max(y0, 0);
    const seen = (Math.max(0, w) * Math.max(0, h)) / ((x1 - x0) * (y1 - y0));
    return seen < IN_SIGHT && this.lost === 0 ? 'out_of_frame' : undefined;
  }

  /** Where alignment may begin: as predicted, and where the region's picture is found. */
  private starts(picture: RegionPicture, predicted: Motion, radius: number): Motion[] {
    const { patch } = this;
    if (!patch || patch.level >= picture.levels.length) return [predicted];
    const { x: cx, y: cy } = middleOf(this.quadOf(predicted));
    const peaks = searchPatch(this.kernels, picture, patch, cx, cy, radius, this.lost > 0 ? LOST_PEAKS : 1);
    const [first, second] = peaks as (Found | undefined)[];
    this.lookalike = first !== undefined && second !== undefined && second.likeness > first.likeness - RIVAL_SMALL;
    this.held = first && this.side < EDGE_SIDE ? Math.min(1, Math.max(0, (first.likeness - first.beside) / DROP)) : 1;
    const apart = peaks.filter((p) => Math.hypot(p.x - cx, p.y - cy) / 2 ** patch.level > APART_PX);
    const there = apart.map((p) => this.shifted(predicted, p.x - cx, p.y - cy));
    return [...there, predicted, ...this.groping(predicted)];
  }

  /** After a gap, places around the prediction too: what is half hidden still is found by alignment, but not by search. */
  private groping(predicted: Motion): Motion[] {
    if (this.lost === 0 || this.lost > GROPING_FRAMES) return [];
    const px = GROPING_PX[this.lost % GROPING_PX.length];
    return [
      [px, 0],
      [-px, 0],
      [0, px],
      [0, -px],
    ].map(([dx, dy]) => this.shifted(predicted, dx, dy));
  }

  /** A motion that leads so many px farther. */
  private shifted(motion: Motion, dx: number, dy: number): Motion {
    const out = motion.slice();
    out[0] += dx / this.space.half;
    out[1] += dy / this.space.half;
    return out;
  }

  /** The best of the attempts from several starts; notes whether another place is nearly as good. */
  private best(picture: RegionPicture, frame: number, predicted: Motion, starts: Motion[]): Attempt | undefined {
    const attempts: Attempt[] = [];
    for (const start of starts) {
      const attempt = this.attempt(picture, frame, start);
      if (!attempt) continue;
      attempts.push(attempt);
      // A good answer needs no second opinion, except after a gap, when a repeated pattern may deceive.
      if (attempt.confidence > 0.8 && attempt.share > 0.8 && this.lost === 0) break;
    }
    if (!attempts.some((a) => a.confidence >= Math.max(FOUND, WEAKER * this.trusted))) {
      // A soft reflection that stays, or shade, misleads coarse levels; detail near to the prediction is not in them.
      const fine = this.attempt(picture, frame, predicted, FINE_LEVELS);
      if (fine) attempts.push(fine);
    }
    const merit = (a: Attempt): number => this.merit(a, predicted);
    attempts.sort((a, b) => merit(b) - merit(a));
    const best = this.orStiff(attempts.at(0), picture, frame);
    const few = this.anchorCells[0].count < RIVAL_CELLS;
    this.ambiguous = (few && this.lookalike) || attempts.some((a) => best && this.isRival(a, best));
    return best;
  }

  /** The same place without a change of shear and perspective, if that is surer: what lies beside the region bends a weak answer. */
  private orStiff(best: Attempt | undefined, picture: RegionPicture, frame: number): Attempt | undefined {
    if (!best || best.confidence >= FOUND || !this.free.some((p) => p >= STIFF)) return best;
    const start = best.found.motion.slice();
    start.set(this.motion.subarray(STIFF), STIFF);
    const stiff = this.attempt(picture, frame, start, FINE_LEVELS, STIFF);
    if (!stiff || stiff.confidence <= best.confidence) return best;
    // Fewer parameters are met by chance more easily: most of it must be seen, as like as ever.
    if (stiff.share < STIFF_SHARE || stiff.likeness < SAME * this.usual) return best;
    return { ...stiff, confidence: Math.min(STIFF_TRUST, stiff.confidence) };
  }

  /**
   * While nothing is lost, what is near needs less evidence than what is far. After a gap the likest place counts, even if
   * little of it is seen: a look-alike in full view is still none.
   */
  private merit(a: Attempt, predicted: Motion): number {
    if (this.lost > 0) return a.likeness ** 2 * Math.min(1, a.share / SHARE_AFTER_GAP);
    const far = Math.min(1, this.surprise(a, predicted) / LEAP);
    return a.share * a.likeness * (1 - FAR_COSTS * far);
  }

  private isRival(a: Attempt, best: Attempt): boolean {
    const { motion, readings } = a.found;
    // What many cells agree on is told apart by less than what one or two say.
    const margin = RIVAL / Math.max(1, Math.sqrt(readings.length / RIVAL_CELLS));
    // What could not be believed itself, such as the same place ill bent, does not contest another.
    const contests = a.share > SHARE_AFTER_GAP && a.confidence >= LOST;
    return contests && this.offset(best, motion) > RIVAL_PX && a.likeness > best.likeness - margin;
  }

  private attempt(
    picture: RegionPicture,
    frame: number,
    start: Motion,
    levels = this.anchorCells.length,
    parameters = Infinity,
  ): Attempt | undefined {
    let motion = start;
    const expected = { motion: start, deviation: this.deviation() };
    let found: Alignment | undefined;
    let free: number[] = [];
    for (let i = Math.min(levels, this.anchorCells.length) - 1; i >= 0; i--) {
      if (this.anchorCells[i].level >= picture.levels.length) continue;
      free = this.supported(this.anchorCells[i].count, i > 1).filter((p) => p < parameters);
      found = alignRegion(this.kernels, picture, this.known(i), this.space, motion, expected, free, ITERATIONS);
      motion = found.motion;
    }
    if (!found) return undefined;
    const anchorCount = this.anchorCells[0].count;
    const trusted = this.unblocked(frame, found);
    const own = trusted.slice(0, anchorCount);
    const ownShare = weightOf(own) / Math.max(1e-9, weightOf(trusted));
    const error = this.waypoint ? (1 - ownShare) * this.waypoint.error : 0;
    const shown = this.waypoint ? mostSeen(own, trusted.slice(anchorCount)) : own;
    const trust = trustOf(found, shown, this.wholeArea, this.options.quad, this.space, free, error);
    const confidence = trust.confidence * this.held;
    return { ...trust, confidence, found, anchorLikeness: meanLikeness(own) };
  }

  /** How far the parameters may stray from what is expected of a frame; after a gap, farther. */
  private deviation(): Motion {
    const k = (1 + Math.min(3, this.lost)) / this.space.half;
    const [shift, turn, bend] = [FREE_PX * k, TURN_PX * k, BEND_PX * k];
    return Float64Array.of(shift, shift, turn, turn, bend, bend, bend, bend);
  }

  private known(i: number): Known[] {
    const anchor = { cells: this.anchorCells[i], fromAnchor: identity3(), trust: 1 };
    const { waypoint } = this;
    if (!waypoint?.levels[i]) return [anchor];
    return [anchor, { cells: waypoint.levels[i], fromAnchor: waypoint.fromAnchor, trust: WAYPOINT_TRUST }];
  }

  /** Parameters that so many cells can determine; on coarse levels only the simple ones. */
  private supported(cells: number, coarse: boolean): number[] {
    if (cells < 4) return this.free.filter((p) => p < 2);
    if (coarse || cells < 7) return this.free.filter((p) => p < STIFF);
    return this.free;
  }

  /** Cells that lie on something else in this frame do not count. */
  private unblocked(frame: number, found: Alignment): CellReading[] {
    const { blocked } = this.options;
    if (!blocked) return found.readings;
    const m = motionMatrix(found.motion, this.space);
    return found.readings.map((r) => {
      const [p] = mapQuad(m, [r, r, r, r]);
      return blocked(frame, p.x, p.y) ? { ...r, weight: 0 } : r;
    });
  }

  private turnedAway({ found }: Attempt): boolean {
    const quad = this.quadOf(found.motion);
    const [x0, y0, x1, y1] = boundsOf(quad);
    const [a0, b0, a1, b1] = boundsOf(this.options.quad);
    const shape = Math.abs(quadArea(quad)) / ((x1 - x0) * (y1 - y0));
    const before = Math.abs(quadArea(this.options.quad)) / ((a1 - a0) * (b1 - b0));
    return shape < EDGE_ON * before || Math.min(x1 - x0, y1 - y0) < EDGE_ON * Math.min(a1 - a0, b1 - b0);
  }

  private hit(frame: number, picture: RegionPicture, attempt: Attempt): TrackedFrame {
    const { motion } = attempt.found;
    this.velocity = this.lost > 0 ? [0, 0] : [motion[0] - this.motion[0], motion[1] - this.motion[1]];
    this.motion = motion;
    this.lost = 0;
    this.trusted = this.trusted === 0 ? attempt.confidence : 0.9 * this.trusted + 0.1 * attempt.confidence;
    const quad = this.quadOf(motion);
    if (attempt.confidence > 0.7) {
      this.usual = this.usual === 0 ? attempt.likeness : 0.9 * this.usual + 0.1 * attempt.likeness;
      const seen = cutPatch(this.kernels, picture, quad, Math.min(this.searchLevel, picture.levels.length - 1));
      // Of a region that leaves the picture, all of it is kept to be searched for.
      if (seen && (seen.whole || !this.patch?.whole)) this.patch = seen;
      this.mark(frame, picture, quad, attempt);
    }
    return { frame, quad, confidence: attempt.confidence, points: this.points(attempt) };
  }

  /** Keeps a frame as known where the anchor's picture fades. */
  private mark(frame: number, picture: RegionPicture, quad: Quad, attempt: Attempt): void {
    const { waypoint } = this;
    if (attempt.anchorLikeness > FADING || (waypoint && Math.abs(frame - waypoint.frame) < WAYPOINT_EVERY)) return;
    const levels = this.lay(this.rooms, picture, quad, frame);
    if (levels.length < this.anchorCells.length) return;
    this.waypoint = { levels, frame, error: attempt.error, fromAnchor: motionMatrix(attempt.found.motion, this.space) };
  }

  private miss(frame: number, motion: Motion, loss: LossReason, attempt?: Attempt): TrackedFrame {
    this.motion = motion;
    this.lost++;
    const confidence = Math.min(0.25, attempt?.confidence ?? 0);
    const quad = this.quadOf(motion);
    return { frame, quad, confidence, loss: this.beyond(quad) ? 'out_of_frame' : loss, points: [] };
  }

  private beyond(quad: Quad): boolean {
    const { width, height } = this.frames.format;
    const middle = middleOf(quad);
    return middle.x < 0 || middle.y < 0 || middle.x > width || middle.y > height;
  }

  private points({ found }: Attempt): TrackedFrame['points'] {
    const m = motionMatrix(found.motion, this.space);
    return found.readings.slice(0, this.anchorCells[0].count).map((r) => {
      const [p] = mapQuad(m, [r, r, r, r]);
      return { ...p, weight: r.weight };
    });
  }
}

function sumOf(records: Float32Array, entry: number): number {
  let sum = 0;
  for (let k = entry; k < records.length; k += RECORD) sum += records[k];
  return sum;
}

const weightOf = (readings: readonly CellReading[]): number => readings.reduce((s, r) => s + r.weight * r.area, 0);

function meanLikeness(readings: readonly CellReading[]): number {
  const area = weightOf(readings);
  return area > 0 ? readings.reduce((s, r) => s + r.weight * r.area * r.likeness, 0) / area : 0;
}

/** Of two sets of cells over the same region the one that sees more of it. */
const mostSeen = (a: CellReading[], b: CellReading[]): CellReading[] => {
  const scaled = b.map((r) => ({ ...r, weight: r.weight / WAYPOINT_TRUST }));
  return weightOf(scaled) > weightOf(a) ? scaled : a;
};
