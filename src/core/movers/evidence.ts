import type { Kernels } from '../../kernels/index.ts';
import { dilated } from '../image/dilated.ts';
import { hiddenPlaces } from './hiddenPlaces.ts';
import type { FrameLayer, LaidPlane } from './layFrames.ts';
import type { MaskPatch } from './maskPatch.ts';

/** Frames before and after that a frame is compared with. */
const OFFSETS = [8, 18, 31, 48];
/** More of them, where the film ends too early on one side for all of those. */
const BETWEEN = [13, 24, 39];
/** The farthest of all. */
export const FARTHEST = OFFSETS.at(-1)!;
/**
 * On a tripod nothing drifts with distance: there frames from far around are compared with, which what stands for a while
 * has left. They are the same ones for neighbouring frames.
 */
const STILL_FRAMES = 9;
const STILL_REACH = 240;
/** Of the frames that show a place, the share that must show the same as this one: rank of the unlikeness that counts. */
const RANK = 0.4;
const MEDIAN = 0.5;
/** Frames that must show a place for it to be judged. */
const LEAST_SEEN = 2;
/** Frames on each side that a thing is hardly in most of. */
const LEAST_BESIDE = 3;
/** Displacement that is forgiven, px of the plane: registration and slight depth. */
const FORGIVEN_PX = 1;
/** How much a difference of colour counts, against one of luma. */
const CHROMA_TIMES = 2;
/** What stays is no higher than this where what is above it and below it tells of it, as a share of the picture's height. */
const MOST_BETWEEN = 1 / 8;
/** Unlikeness of a place that nothing is known of. */
export const UNKNOWN = 65535;

/** How the camera of a film moves, as far as it decides which frames are compared. */
export type Around = Pick<FrameLayer, 'tripod' | 'sameScene'>;

/** Frames that one is compared with: the usual ones first, and how many of them these are. */
function comparedWith(layer: Around, frame: number, count: number): { others: number[]; usual: number } {
  const inScene = (s: number): boolean => s >= 0 && s < count && layer.sameScene(frame, s);
  if (layer.tripod) {
    const step = Math.ceil(Math.min(count, 2 * STILL_REACH) / STILL_FRAMES);
    const first = Math.max(0, Math.ceil((frame - STILL_REACH) / step));
    const far = Array.from({ length: STILL_FRAMES + 1 }, (_, k) => (first + k) * step)
      .filter((s) => Math.abs(s - frame) >= OFFSETS[0] && s - frame <= STILL_REACH)
      .filter(inScene);
    if (far.length >= OFFSETS.length) return { others: far, usual: far.length };
  }
  const around = (offsets: readonly number[]): number[] =>
    offsets.flatMap((d) => [frame - d, frame + d]).filter(inScene);
  const near = around(OFFSETS);
  const more = around(BETWEEN).slice(0, 2 * OFFSETS.length - near.length);
  return { others: [...near, ...more], usual: near.length };
}

/** What the other frames say of a frame, per px of the small frames. */
export interface Evidence {
  /** Sums over 3x3 px of 12-bit levels, {@link UNKNOWN} where too few frames show a place. */
  unlikeness: Uint16Array;
  /** The frame's own planes, 12 bits. */
  own: Uint16Array[];
  /** Per plane the median of what the others show at the place, 12 bits; UNKNOWN where too few show it. */
  background: Uint16Array[];
}

/** What moves in other frames, as far as it is known: where it is, they do not show the background. */
export type MovingElsewhere = (frame: number) => readonly MaskPatch[] | undefined;

/**
 * Whether a frame of its scene has so few on one side to be compared with that a thing can be in most of the rest: the
 * ground where it will be, or was, is then as unlike them as it is itself.
 */
export function isOneSided(layer: Around, frame: number, count: number): boolean {
  const { others, usual } = comparedWith(layer, frame, count);
  const before = others.filter((s, k) => k < usual && s < frame).length;
  return !layer.tripod && Math.min(before, usual - before) < LEAST_BESIDE;
}

/**
 * How unlike a frame is to what the other frames show at the same places of the background, per px of the small frames:
 * sums over 3x3 px of 12-bit levels, {@link UNKNOWN} where too few frames show a place.
 */
export const unlikenessOf = (
  kernels: Kernels,
  layer: FrameLayer,
  frame: number,
  count: number,
  elsewhere?: MovingElsewhere,
): Uint16Array => compare(kernels, layer, { frame, count, whole: false, elsewhere }).unlikeness;

/** As {@link unlikenessOf}, with the background itself. */
export const evidenceOf = (
  kernels: Kernels,
  layer: FrameLayer,
  frame: number,
  count: number,
  elsewhere?: MovingElsewhere,
): Evidence => compare(kernels, layer, { frame, count, whole: true, elsewhere });

interface Comparison {
  frame: number;
  count: number;
  /** Whether the background is wanted. */
  whole: boolean;
  elsewhere?: MovingElsewhere;
}

function compare(kernels: Kernels, layer: FrameLayer, { frame, count, whole, elsewhere }: Comparison): Evidence {
  const { others: all, usual } = comparedWith(layer, frame, count);
  // More than the usual ones are asked for what moves in these alone.
  const others = elsewhere ? all : all.slice(0, usual);
  const { width: w, height: h } = layer.planes[0];
  const n = w * h;
  return kernels.scoped(() => {
    const costs = kernels.alloc(n * 2 * others.length);
    const sizes = layer.planes.map((p) => p.width * p.height);
    // What is laid over is kept only if the background is wanted.
    const room = sizes.map((size) => kernels.alloc(size * 2 * (whole ? others.length : 1)));
    const part = kernels.alloc(n * 2);
    const work = kernels.alloc(n * 4);
    const own = layer.own(frame);
    others.forEach((other, k) => {
      const laid = layer.planes.map((p, i): LaidPlane => ({ ...p, at: room[i] + (whole ? k * sizes[i] * 2 : 0) }));
      layer.lay(other, frame, laid);
      const total = costs + k * n * 2;
      laid.forEach((plane, p) => {
        const { width, height, stepX, stepY } = plane;
        const radius = p === 0 ? FORGIVEN_PX : 0;
        kernels.run.unlikeness(own[p].at, plane.at, width, height, radius, p === 0 ? total : part, work);
        if (p > 0) kernels.run.addCost(total, w, h, part, width, stepX, stepY, CHROMA_TIMES);
      });
    });
    const hidden = others.map((s) => hiddenPlaces(elsewhere?.(s) ?? [], layer.map(frame, s), w, h));
    const ranking = new Ranking(kernels, layer.planes, hidden, usual);
    const background = whole ? room.map((at, p) => ranking.of(at, p, MEDIAN)) : [];
    const least = kernels.put(ranking.of(costs, 0, RANK));
    kernels.run.forgiveEdges(own[0].at, w, h, least, work);
    const unlikeness = kernels.u16(least, n).slice();
    if (layer.stays) withoutWhatStays(unlikeness, layer.stays, w);
    return { unlikeness, background, own: whole ? own.map(({ at }, p) => kernels.u16(at, sizes[p]).slice()) : [] };
  });
}

/**
 * What stays, and the px beside it, which the sums reach into, say nothing of the background. What moves behind a line of text, say, goes on
 * from above it to below it.
 *
 * @param unlikeness - Changed in place.
 */
export function withoutWhatStays(unlikeness: Uint16Array, stays: Uint8Array, width: number): void {
  const height = stays.length / width;
  const near = dilated(stays, width, height);
  for (let x = 0; x < width; x++) {
    for (let y = 0; y < height; y++) {
      if (near[y * width + x] === 0) continue;
      let end = y;
      while (end < height && near[end * width + x] > 0) end++;
      const isBetween = y > 0 && end < height && end - y <= height * MOST_BETWEEN;
      const value = isBetween ? Math.min(unlikeness[(y - 1) * width + x], unlikeness[end * width + x]) : UNKNOWN;
      for (; y < end; y++) unlikeness[y * width + x] = value;
    }
  }
}

/** Ranks what several frames say of each px: the usual ones, or, where something that moves hides one of these, all that do show it. */
class Ranking {
  private readonly out: number;
  private readonly column: number;

  /**
   * @param hidden - Per frame the px of the first plane at which something that moves hides the background.
   * @param usual - So many of the frames, the first ones, are the usual ones.
   */
  constructor(
    private readonly kernels: Kernels,
    private readonly planes: FrameLayer['planes'],
    private readonly hidden: readonly (readonly number[])[],
    private readonly usual: number,
  ) {
    this.out = kernels.alloc(planes[0].width * planes[0].height * 2);
    this.column = kernels.alloc(hidden.length * 16);
  }

  /**
   * The value of a rank per px.
   * @param at - The frames' planes, one after another; what is hidden is lost.
   */
  of(at: number, plane: number, rank: number): Uint16Array {
    const result = this.ranked(at, plane, { rank, count: this.usual, least: LEAST_SEEN }).slice();
    if (this.hidden.every((px) => px.length === 0)) return result;
    const isHidden = this.hide(at, plane);
    // What one frame shows clear is believed before several of which most are hidden.
    const clear = this.ranked(at, plane, { rank, count: this.hidden.length, least: 1 });
    clear.forEach((v, i) => {
      if (isHidden[i] && v !== UNKNOWN && result[i] !== UNKNOWN) result[i] = v;
    });
    return result;
  }

  /** @returns 1 for samples that one of the usual frames hides. */
  private hide(at: number, plane: number): Uint8Array {
    const { width, height, stepX, stepY } = this.planes[plane];
    const across = this.planes[0].width;
    const isHidden = new Uint8Array(width * height);
    this.hidden.forEach((px, k) => {
      const samples = this.kernels.u16(at + k * width * height * 2, width * height);
      for (const i of px) {
        const sample = Math.floor(i / across / stepY) * width + Math.floor((i % across) / stepX);
        samples[sample] = UNKNOWN;
        if (k < this.usual) isHidden[sample] = 1;
      }
    });
    return isHidden;
  }

  private ranked(
    at: number,
    plane: number,
    { rank, count, least }: { rank: number; count: number; least: number },
  ): Uint16Array {
    const { width, height } = this.planes[plane];
    this.kernels.run.rankPlanes(at, count, width * height, rank, least, this.out, this.column);
    return this.kernels.u16(this.out, width * height);
  }
}
