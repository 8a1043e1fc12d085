import { project, type Point } from '../geometry/homography.ts';
import { grow, intersect, type FrameReader, type Rect } from '../image/format.ts';
import { bytesOf } from '../image/mapped.ts';
import { CHANNELS, fitColours, type ColourModel } from '../outline/colourModel.ts';
import { readCut, type PictureCut } from '../outline/pictureCut.ts';
import type { ShadeAt } from './bodies.ts';
import type { Step } from './linkRegions.ts';
import { areaOf, centreOf, common, distanceFrom, grown, moved, shared, type MaskPatch } from './maskPatch.ts';
import type { Mover } from './movers.ts';

/** Two are one region where they are this near to each other, px. */
const TOUCH_PX = 1;
/** Frames before and after a crossing that tell what each of them looks like. */
const CLEAR_FRAMES = 12;
/** Share of its usual size from which a frame tells that. */
const WHOLE_SHARE = 0.7;
/** The rim of a mask in which the background shows, px. */
const RIM_PX = 2;
/** Bands of a thing, from its top to its foot, whose colours are learnt apart; each with half of its neighbours. */
const BANDS = 5;

/** What of a mover is known from the frames around a crossing in which it is on its own. */
export interface Look {
  mover: Mover;
  /** These frames, ascending; at least one. */
  clear: number[];
  /** Colours by band, from the top. */
  bands: ColourModel[];
}

export const maskAt = ({ first, masks }: Mover, t: number): MaskPatch | undefined => masks[t - first];

export const isInFrame = (rect: Rect, { format: { width, height } }: FrameReader): boolean => {
  const part = intersect(rect, { x: 0, y: 0, width, height });
  return part.width > 0 && part.height > 0;
};

export const touch = (a: MaskPatch, b: MaskPatch): boolean =>
  intersect(grow(a, TOUCH_PX), b).width > 0 && shared(grown(a, TOUCH_PX), b) > 0;

/** The band in which a row of px lies. @param extent - Of the whole thing there. */
export const bandOf = ({ y, height }: Rect, row: number): number =>
  Math.max(0, Math.min(BANDS - 1, Math.floor((BANDS * (row + 0.5 - y)) / height)));

/** @returns undefined if it is nowhere on its own near the frames from..to. */
export function lookOf(
  mover: Mover,
  from: number,
  to: number,
  all: readonly Mover[],
  frames: FrameReader,
): Look | undefined {
  const areas = mover.masks.map(areaOf).sort((p, q) => p - q);
  const whole = WHOLE_SHARE * areas[areas.length >> 1];
  const isClear = (t: number): boolean => {
    const mask = maskAt(mover, t);
    if (!mask || areaOf(mask) < whole || !isInFrame(mask, frames)) return false;
    return all.every((other) => other === mover || !maskAt(other, t) || !touch(mask, maskAt(other, t)!));
  };
  const clear: number[] = [];
  for (let t = from - CLEAR_FRAMES; t <= to + CLEAR_FRAMES; t++) if ((t < from || t > to) && isClear(t)) clear.push(t);
  if (clear.length === 0) return undefined;
  const samples: number[][] = Array.from({ length: BANDS }, () => []);
  for (const t of clear) sample(readCut(frames, t, maskAt(mover, t)!, 1), heartOf(maskAt(mover, t)!), samples);
  const any = samples.find((s) => s.length > 0)!;
  return { mover, clear, bands: samples.map((s) => fitColours(Float32Array.from(s.length > 0 ? s : any))) };
}

/** What of a mask is surely the thing: without its rim, in which the background shows, where that leaves most of it. */
export function heartOf(mask: MaskPatch): MaskPatch {
  const heart = { ...mask, data: bytesOf(distanceFrom(mask, mask), (d) => (d < -RIM_PX ? 1 : 0)) };
  return 2 * areaOf(heart) > areaOf(mask) ? heart : mask;
}

/** Adds the colours of a mask's px to its bands: each px to its own, and to the one that is nearest beside it. */
function sample({ x, y, width, height, colours }: PictureCut, mask: MaskPatch, into: number[][]): void {
  for (let i = 0; i < width * height; i++) {
    const [u, v] = [x - mask.x + (i % width), y - mask.y + Math.floor(i / width)];
    if (!mask.data[v * mask.width + u]) continue;
    const place = (BANDS * (v + 0.5)) / mask.height;
    const own = Math.floor(place);
    const beside = Math.max(0, Math.min(BANDS - 1, Math.round(place) === own ? own - 1 : own + 1));
    for (const band of new Set([own, beside])) {
      for (let c = 0; c < CHANNELS; c++) into[band].push(colours[i * CHANNELS + c]);
    }
  }
}

/** Its mask of the nearest clear frame, where it should be in frame t. */
export const wholeAt = (look: Look, t: number, step: Step): MaskPatch => clearAt(look, t, step, (mask) => mask);

/** Its shadow of the nearest clear frame, where it should be in frame t. */
export const shadowAt = (look: Look, t: number, step: Step, shadeAt: ShadeAt): MaskPatch =>
  clearAt(look, t, step, (mask, nearest) => common(mask, shadeAt(nearest)));

/** What is made of its mask of the nearest clear frame, where it should be in frame t. */
function clearAt(look: Look, t: number, step: Step, part: (mask: MaskPatch, frame: number) => MaskPatch): MaskPatch {
  const { mover, clear } = look;
  const nearest = clear.reduce((a, b) => (Math.abs(b - t) < Math.abs(a - t) ? b : a));
  const mask = maskAt(mover, nearest)!;
  const [own, to] = [centreOf(mask), placeAt(look, t, step)];
  return moved(part(mask, nearest), to.x - own.x, to.y - own.y);
}

/** Its mask of the frame beside t, where it should be in frame t; that of a clear frame if it has none there. */
export function likeBeside(look: Look, t: number, beside: number, step: Step): MaskPatch {
  const mask = maskAt(look.mover, beside);
  if (!mask) return wholeAt(look, t, step);
  const [own, to] = [placeAt(look, beside, step), placeAt(look, t, step)];
  return moved(mask, to.x - own.x, to.y - own.y);
}

/** Where its middle should be: on the way between clear frames before and after, or on as it went. */
function placeAt({ mover, clear }: Look, t: number, step: Step): Point {
  const before = clear.filter((f) => f <= t).at(-1);
  const after = clear.find((f) => f > t);
  if (before === t) return centreOf(maskAt(mover, t)!);
  if (before !== undefined && after !== undefined)
    return between(carried(mover, before, t, step), carried(mover, after, t, step), (t - before) / (after - before));
  const [nearest, farthest] = before === undefined ? [clear[0], clear.at(-1)!] : [before, clear[0]];
  const to = carried(mover, nearest, t, step);
  if (nearest === farthest) return to;
  return between(carried(mover, farthest, t, step), to, (t - farthest) / (nearest - farthest));
}

/** Where its middle of one frame would be in another, if it did not move by itself. */
function carried(mover: Mover, from: number, t: number, step: Step): Point {
  const { x, y } = centreOf(maskAt(mover, from)!);
  return project(step(from, t), x, y);
}

/** On the way from p to q, or beyond. */
const between = (p: Point, q: Point, part: number): Point => ({
  x: p.x + part * (q.x - p.x),
  y: p.y + part * (q.y - p.y),
});
