import type { FrameFormat } from '../image/format.ts';
import { UNSEEN_SUPPORT } from './complete.ts';
import { shrunkMeans } from '../image/shrunkMeans.ts';
import { findFlecks, fleckScale, showsSame, slowRadius, weightsOf, withoutSlow } from './flecks.ts';
import type { Gathered } from './gathered.ts';
import { planeSize } from './region.ts';

/** One frame's picture of a region, and of others where it does not show it; samples per plane. */
export interface Shown extends Pick<Gathered, 'region' | 'planes' | 'support'> {
  /** Which of the frames shows a luma px, in their order; the first everywhere if there is none. */
  turn?: Uint8Array;
}

/** Share of a group that another frame may show too; more is no fleck, but the background. */
const STAYING = 0.3;

/** What is known of a picture before flecks are laid on it. */
interface Laid {
  format: FrameFormat;
  /** Sum of agreeing weights per luma px. */
  support: Float32Array;
}

/**
 * Lays what one frame shows before the background over a region of another frame, in place: all that is not slow, but for what is too
 * large for a fleck, stays, or is cut where one frame gives way to another. So faint ones come along, which grain hides.
 *
 * @param layers - Samples per plane of the region, without grain.
 * @param shown - What the one frame shows of it, in the region's light.
 * @param check - The same of a frame near to that in time: what both show is not a fleck.
 * @returns How much of each luma px is that frame's, 0..1.
 */
export function layFlecks(layers: readonly Float32Array[], shown: Shown, check: Shown, laid: Laid): Float32Array {
  const { width, height } = shown.region.rect;
  const { usable, difference } = beside(shown, layers[0], laid);
  const own = findFlecks(difference, usable, width, height, fleckScale(laid.format));
  const other = beside(check, layers[0], laid).difference;
  const stays = (group: number[]): boolean =>
    group.filter((i) => showsSame(own, i, other[i])).length >= STAYING * group.length;
  const left = own.groups.filter((group) => isCut(group, shown) || stays(group));
  const weights = weightsOf([...own.large, ...left], width, height);
  for (let i = 0; i < weights.length; i++) weights[i] = usable[i] === 1 ? 1 - weights[i] : 0;
  const even = usable.slice();
  for (let i = 0; i < even.length; i++) if (Math.abs(own.fast[i]) > own.least) even[i] = 0;
  layers.forEach((_, plane) => addFast(layers, shown, plane, { usable, even, weights }, laid.format));
  return weights;
}

/** Where a picture is laid in, per luma px. */
interface Where {
  /** 1 where it is known, and where what is slow is told. */
  usable: Uint8Array;
  even: Uint8Array;
  weights: Float32Array;
}

/** Adds what a picture shows more or less than the samples of a plane, without what is slow. */
function addFast(
  layers: readonly Float32Array[],
  { region, planes }: Shown,
  plane: number,
  where: Where,
  format: FrameFormat,
): void {
  const { stepX, stepY } = format.planes[plane];
  const { width, height } = planeSize(region, format, plane);
  const samples = layers[plane];
  const [usable, even] = [new Uint8Array(samples.length), new Uint8Array(samples.length)];
  const more = new Float32Array(samples.length);
  for (let i = 0; i < samples.length; i++) {
    const at = Math.floor(i / width) * stepY * region.rect.width + (i % width) * stepX;
    if (where.usable[at] === 0) continue;
    [usable[i], even[i]] = [1, where.even[at]];
    more[i] = planes[plane][i] - samples[i];
  }
  const fast = withoutSlow(more, usable, width, height, Math.ceil(slowRadius(format.height) / stepX), even);
  const weights = shrunkMeans(where.weights, region.rect, stepX, stepY);
  for (let i = 0; i < samples.length; i++) samples[i] += weights[i] * fast[i];
}

/**
 * Adds what another frame shows where a picture is not known, in place.
 *
 * @param turn - The other frame's place in their order.
 */
export function layUnder(out: Shown, other: Shown, turn: number, format: FrameFormat): void {
  const { width } = out.region.rect;
  out.planes.forEach((samples, p) => {
    const { stepX, stepY } = format.planes[p];
    const size = planeSize(out.region, format, p);
    for (let i = 0; i < samples.length; i++) {
      const at = Math.floor(i / size.width) * stepY * width + (i % size.width) * stepX;
      if (out.support[at] === 0) samples[i] = other.planes[p][i];
    }
  });
  const turns = (out.turn ??= new Uint8Array(out.support.length));
  for (let i = 0; i < turns.length; i++) {
    if (out.support[i] > 0 || other.support[i] === 0) continue;
    out.support[i] = other.support[i];
    turns[i] = turn;
  }
}

/** Whether a group touches px that another frame shows. */
function isCut(group: readonly number[], { turn, support, region }: Shown): boolean {
  if (!turn) return false;
  const { width } = region.rect;
  return group.some((i) => [i - 1, i + 1, i - width, i + width].some((j) => support[j] > 0 && turn[j] !== turn[i]));
}

/** Where a picture and what is laid under it are both known, and how they differ; 0 elsewhere. */
function beside(
  { planes: [luma], support }: Shown,
  layer: Float32Array,
  laid: Laid,
): { usable: Uint8Array; difference: Float32Array } {
  const usable = new Uint8Array(support.length);
  const difference = new Float32Array(support.length);
  for (let i = 0; i < usable.length; i++) {
    if (support[i] <= 0 || laid.support[i] <= UNSEEN_SUPPORT) continue;
    usable[i] = 1;
    difference[i] = luma[i] - layer[i];
  }
  return { usable, difference };
}
