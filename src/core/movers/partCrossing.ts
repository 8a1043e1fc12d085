import { intersect, type FrameReader, type Rect } from '../image/format.ts';
import { components } from '../image/components.ts';
import { CHANNELS, colourCost } from '../outline/colourModel.ts';
import { cutOut, OTHER, THING } from '../outline/cutOut.ts';
import { readCut, type PictureCut } from '../outline/pictureCut.ts';
import type { ShadeAt } from './bodies.ts';
import type { Step } from './linkRegions.ts';
import {
  bandOf,
  heartOf,
  isInFrame,
  likeBeside,
  lookOf,
  maskAt,
  shadowAt,
  touch,
  wholeAt,
  type Look,
} from './looks.ts';
import { areaOf, centreOf, common, distanceFrom, maskIn, trimmed, union, type MaskPatch } from './maskPatch.ts';
import type { Mover } from './movers.ts';

/** Apart for so many frames two are still crossing. */
const APART_FRAMES = 3;
/** Most that colours say about one px. */
const MOST_LEAN = 6;
/** What is less says nothing of whose a px is; px that must say so, and how many times as many as say the contrary. */
const CLEAR_LEAN = 2;
const LEAST_VOTES = 100;
const CLEAR_TIMES = 2;
/** What of the one in front was seen a frame ago, counts so much for it. */
const HIDES = 2.5;
/** What a px costs beyond where something is expected, per px of distance; and the distance from which it costs no more. */
const AWAY = 0.35;
const FARTHEST = 12;
/** What lies this much nearer to one than to the other is that one's, px. */
const DOUBTFUL_PX = 10;
/** Cost of a border between two like px. */
const SMOOTH = 4;
/** Parts up to this size go to what is around them, px. */
const SPECK_PX = 12;
/** How far from where it is expected a shadow may lie, px. */
const SHADOW_PX = 3;

type Both<T> = readonly [T, T];

/** What all crossings of a search share. */
interface Search {
  frames: FrameReader;
  step: Step;
  shadeAt: ShadeAt;
}

/** Something that crosses another, on one frame. */
interface Stander {
  look: Look;
  /** As it is when nothing hides it. */
  whole: MaskPatch;
}

/** The same, with what is known from elsewhere. */
interface Side extends Stander {
  /** What of it was seen a frame ago. */
  seen: MaskPatch;
  /** Where its shadow should be. */
  shadow: MaskPatch;
}

interface Meeting<S extends Stander = Stander> {
  /** What both have together. */
  region: MaskPatch;
  cut: PictureCut;
  sides: Both<S>;
}

/**
 * Parts movers that cross each other anew: where they are one region, how the colours of each run from its top to its foot is
 * known from the frames before and after, and what of it was seen a frame ago; the border between them runs along edges of the
 * picture (a least cut). It begins at both ends of a crossing. Shade that lies where the shadows of both should be is of both: whichever
 * goes away takes its shadow along, under the other's feet too.
 *
 * @param movers - From `moversOf`; what they have together stays the same on every frame.
 * @param frames - The small frames in which they were found.
 */
export function partCrossings(movers: readonly Mover[], frames: FrameReader, step: Step, shadeAt: ShadeAt): Mover[] {
  const search: Search = { frames, step, shadeAt };
  const out = movers.map((mover) => ({ ...mover, masks: [...mover.masks] }));
  out.forEach((a, k) => {
    for (const b of out.slice(k + 1)) {
      for (const [from, to] of crossings(a, b, frames)) {
        const [one, other] = [a, b].map((mover) => lookOf(mover, from, to, out, frames));
        if (one && other) partThrough(one, other, [from, to], search);
      }
    }
  });
  return out.map((mover) => ({ ...mover, path: mover.masks.map(centreOf) }));
}

/** Stretches of frames, inclusive, in which two are one region, and in the picture. */
function crossings(a: Mover, b: Mover, frames: FrameReader): [number, number][] {
  const out: [number, number][] = [];
  let gone = -1;
  for (let t = Math.max(a.first, b.first); t <= Math.min(a.last, b.last); t++) {
    const [one, other] = [maskAt(a, t)!, maskAt(b, t)!];
    if (!isInFrame(one, frames) && !isInFrame(other, frames)) gone = t;
    if (gone === t || !touch(one, other)) continue;
    const before = out.at(-1);
    if (before && t - before[1] <= APART_FRAMES && gone < before[1]) before[1] = t;
    else out.push([t, t]);
  }
  return out;
}

function partThrough(one: Look, other: Look, stretch: [number, number], search: Search): void {
  const both: Both<Look> = [one, other];
  const front = frontOf(both, stretch, search);
  for (const [t, beside] of inward(...stretch)) {
    const { step, shadeAt } = search;
    const meeting = meetingAt(both, t, search, (look) => ({
      look,
      whole: wholeAt(look, t, step),
      seen: likeBeside(look, t, beside, step),
      shadow: shadowAt(look, t, step, shadeAt),
    }));
    const parts = divide(meeting, maskIn(search.shadeAt(t), meeting.region), front);
    both.forEach(({ mover }, k) => {
      const mask = areaOf(parts[k]) > 0 ? parts[k] : dot(meeting.sides[k].whole, search.frames);
      mover.masks[t - mover.first] = mask;
    });
  }
}

/** Two who cross, on a frame. */
function meetingAt<S extends Stander>(
  both: Both<Look>,
  t: number,
  { frames }: Search,
  sideOf: (look: Look) => S,
): Meeting<S> {
  const region = inFrame(union(maskAt(both[0].mover, t)!, maskAt(both[1].mover, t)!), frames);
  return { region, cut: readCut(frames, t, region, 1), sides: [sideOf(both[0]), sideOf(both[1])] };
}

/**
 * Which of two passes in front: whose colours are seen where both should be.
 * @returns 0 or 1; undefined if it cannot be told.
 */
function frontOf(both: Both<Look>, [from, to]: [number, number], search: Search): number | undefined {
  const votes = [0, 0];
  for (let t = from; t <= to; t++) {
    const meeting = meetingAt(both, t, search, (look) => ({ look, whole: wholeAt(look, t, search.step) }));
    const { region, sides } = meeting;
    const shared = maskIn(common(sides[0].whole, sides[1].whole), region);
    for (let i = 0; i < shared.length; i++) {
      if (!shared[i] || !region.data[i]) continue;
      const lean = colourLean(meeting, i);
      if (Math.abs(lean) > CLEAR_LEAN) votes[lean < 0 ? 0 : 1]++;
    }
  }
  const most = votes[0] > votes[1] ? 0 : 1;
  return votes[most] >= LEAST_VOTES && votes[most] > CLEAR_TIMES * votes[1 - most] ? most : undefined;
}

/** Frames of a stretch from both ends to its middle, each with the one beside it that is known by then. */
function inward(from: number, to: number): [number, number][] {
  const out: [number, number][] = [];
  for (let [t, u] = [from, to]; t <= u; t++, u--) {
    out.push([t, t - 1]);
    if (u > t) out.push([u, u + 1]);
  }
  return out;
}

/** What is left of somebody who is hidden altogether: their trail goes on. */
function dot(mask: MaskPatch, { format: { width, height } }: FrameReader): MaskPatch {
  const { x, y } = centreOf(mask);
  const inside = (v: number, length: number): number => Math.max(0, Math.min(length - 1, Math.round(v)));
  return { x: inside(x, width), y: inside(y, height), width: 1, height: 1, data: Uint8Array.of(1) };
}

function inFrame(mask: MaskPatch, { format: { width, height } }: FrameReader): MaskPatch {
  const rect = intersect(mask, { x: 0, y: 0, width, height });
  return { ...rect, data: maskIn(mask, rect) };
}

/**
 * The px of a region that are of the one, and those of the other.
 * @param shade - What of the region is ground in less light.
 * @param front - Which of them hides the other, if it is known.
 */
function divide(meeting: Meeting<Side>, shade: Uint8Array, front: number | undefined): Both<MaskPatch> {
  const { region, cut, sides } = meeting;
  const [a, b] = sides.map((side) => distanceOf(side, region));
  const hides = front === undefined ? undefined : maskIn(heartOf(sides[front].seen), region);
  const settled = new Uint8Array(region.data.length);
  const lean = new Float32Array(region.data.length);
  for (let i = 0; i < lean.length; i++) {
    const nearer = Math.max(0, a[i]) - Math.max(0, b[i]);
    if (!region.data[i] || Math.abs(nearer) > DOUBTFUL_PX) settled[i] = nearer < 0 ? THING : OTHER;
    else {
      lean[i] = AWAY * (beyond(a[i]) - beyond(b[i])) + colourLean(meeting, i);
      if (hides?.[i]) lean[i] += front === 0 ? -HIDES : HIDES;
    }
  }
  const side = cutOut(cut, lean, settled, SMOOTH);
  const [one, other] = [side.map((s, i) => s & region.data[i]), side.map((s, i) => (s ^ 1) & region.data[i])];
  mendSpecks(one, other, region);
  mendSpecks(other, one, region);
  addShadow(one, meeting, shade, 0);
  addShadow(other, meeting, shade, 1);
  return [trimmed({ ...region, data: one }), trimmed({ ...region, data: other })];
}

/** How far px are from where it should be, whichever says nearer. */
function distanceOf({ whole, seen }: Side, rect: Rect): Float32Array {
  const [a, b] = [whole, seen].map((mask) => distanceFrom(mask, rect));
  return a.map((d, i) => Math.min(d, b[i]));
}

const beyond = (distance: number): number => Math.max(0, Math.min(FARTHEST, distance));

/** How much less the colour of a px fits to the one than to the other, each by its band there. */
function colourLean({ region, cut, sides }: Meeting, i: number): number {
  const row = region.y + Math.floor(i / region.width);
  const [p, q] = sides.map(({ look, whole }) => colourCost(look.bands[bandOf(whole, row)], cut.colours, i * CHANNELS));
  return Math.max(-MOST_LEAN, Math.min(MOST_LEAN, p - q));
}

/** Parts of the one that are specks go to the other. */
function mendSpecks(one: Uint8Array, other: Uint8Array, { width, height }: Rect): void {
  for (const part of components(one, width, height)) {
    if (part.length > SPECK_PX) continue;
    for (const i of part) [one[i], other[i]] = [0, 1];
  }
}

/** Shade that lies where a shadow should be is of what casts that, even if it is the other's as well: unless it looks like the other alone. */
function addShadow(part: Uint8Array, meeting: Meeting<Side>, shade: Uint8Array, k: 0 | 1): void {
  const { region, sides } = meeting;
  const { shadow } = sides[k];
  if (areaOf(shadow) === 0) return;
  const away = distanceFrom(shadow, region);
  for (let i = 0; i < part.length; i++) {
    if (!region.data[i] || !shade[i] || away[i] > SHADOW_PX) continue;
    const lean = colourLean(meeting, i);
    if ((k === 0 ? lean : -lean) <= CLEAR_LEAN) part[i] = 1;
  }
}
