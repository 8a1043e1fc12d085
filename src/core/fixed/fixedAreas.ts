import { components } from '../image/components.ts';
import { dilated } from '../image/dilated.ts';
import type { Rect } from '../image/format.ts';
import { patchOf } from '../movers/maskPatch.ts';
import { changingText, type Known } from './changingText.ts';
import { BESIDE, CHANGING, FIXED, type Fixed } from './stays.ts';
import type { SteadyEdges } from './steadyEdges.ts';
import type { View } from './views.ts';

/** Edges that lie so near to each other belong together, px. */
const TOGETHER = 6;
/** So many px of edges make something that is fixed. */
const LEAST_EDGES = 30;
/** Beside an edge it is soft, px. */
const SOFT = 1;
/** What is enclosed belongs to it if it rests: px that hardly differ from their mean in most of the views, in most of it, levels of 8 bits. */
const HARDLY = 10;
const MOST = 0.8;
/** What rests and fills more of the picture than this is a background that shows nothing, as a sky does. */
const MOST_OF_PICTURE = 0.4;
/** The inside of a letter, through which the background may show, is no larger than this, as a share of the picture's height. */
const SMALL = 1 / 12;
/** Share of the px beside its edges that rest where no background shows through: half of them, were there neither softness nor noise. */
const OPAQUE = 0.25;
/** Levels that are counted together, and the share of what is fixed that has a colour of its letters. */
const LEVELS = 8;
const MUCH = 0.08;
/** Every so-manieth px is asked for that. */
const EVERY = 3;

/**
 * What is fixed to the picture, from its edges: with the insides of what they enclose, and with the digits of a line of text that change.
 *
 * @returns undefined if nothing is fixed.
 */
export function fixedAreas(
  edges: SteadyEdges,
  { views, width, motion }: Omit<Known, 'mask'>,
): Pick<Fixed, 'mask' | 'paint'> | undefined {
  const height = views[0].luma.length / width;
  const groups = groupsOf(edges, width, height);
  if (groups.length === 0) return undefined;
  const [isEdge, mask] = [new Uint8Array(width * height), new Uint8Array(width * height)];
  for (const group of groups) {
    for (const i of group) isEdge[i] = 1;
    for (const i of withoutBackground(group, views)) mask[i] = FIXED;
  }
  // A px wider they have no gaps, and reach the border of the picture.
  const closed = wider(isEdge, width, height, SOFT);
  const inside = new Uint8Array(mask.length);
  for (const enclosed of enclosedIn(closed, width, height)) {
    const isFixed = enclosed.length <= MOST_OF_PICTURE * mask.length && rests(enclosed, views);
    if (!isFixed && enclosed.length > (height * SMALL) ** 2) continue;
    for (const i of enclosed) (isFixed ? inside : closed)[i] = FIXED;
  }
  const filled = wider(inside, width, height, SOFT);
  for (let i = 0; i < mask.length; i++) {
    if (filled[i] > 0 || (closed[i] > 0 && isStroke(i, isEdge, width) && restsAt(i, views))) mask[i] = FIXED;
  }
  const known = { views, width, motion, mask: wider(mask, width, height, SOFT) };
  const changing = groups.flatMap((group) => changingText(patchOf(group, width), known));
  const paint = paintOf(mask, changing.length > 0 ? views : []);
  for (const part of changing) change(mask, width, part);
  const whole = wider(mask, width, height, SOFT).map((v, i) => mask[i] || (v > 0 || closed[i] > 0 ? BESIDE : 0));
  return { mask: whole, paint };
}

function groupsOf({ sure, likely }: SteadyEdges, width: number, height: number): number[][] {
  const isSure = new Uint8Array(width * height);
  for (const i of sure) isSure[i] = 1;
  const isEdge = isSure.slice();
  for (const i of likely) isEdge[i] = 1;
  return components(wider(isSure, width, height, TOGETHER), width, height)
    .filter((group) => group.filter((i) => isSure[i] === 1).length >= LEAST_EDGES)
    .map((group) => group.filter((i) => isEdge[i] === 1));
}

/** All parts of the rest but the largest. */
function enclosedIn(mask: Uint8Array, width: number, height: number): number[][] {
  const rest = mask.map((v) => 1 - v);
  return components(rest, width, height)
    .sort((a, b) => b.length - a.length)
    .slice(1);
}

function rests(px: readonly number[], views: readonly View[]): boolean {
  const asked = px.filter((_, k) => k % EVERY === 0);
  return asked.filter((i) => restsAt(i, views)).length >= MOST * asked.length;
}

/** Whether a px hardly changes; of what a matte always hides that is not known. */
function restsAt(i: number, views: readonly View[]): boolean {
  const values = views.filter(({ free }) => free[i] === 1).map(({ luma }) => luma[i]);
  const mean = values.reduce((sum, v) => sum + v, 0) / values.length;
  return values.length > 0 && values.filter((v) => Math.abs(v - mean) <= HARDLY).length >= MOST * values.length;
}

/** Whether a px lies between the two edges of a thin stroke. */
const isStroke = (i: number, isEdge: Uint8Array, width: number): boolean =>
  [1, width, width + 1, width - 1].some(
    (by) => isEdge[i - by] + isEdge[i - 2 * by] > 0 && isEdge[i + by] + isEdge[i + 2 * by] > 0,
  );

/** An edge has px on both sides: those of the background are left out, unless it shows through everywhere. */
function withoutBackground(group: readonly number[], views: readonly View[]): readonly number[] {
  const resting = group.filter((i) => restsAt(i, views));
  return resting.length >= OPAQUE * group.length ? resting : group;
}

function wider(mask: Uint8Array, width: number, height: number, px: number): Uint8Array {
  let out = mask;
  for (let k = 0; k < px; k++) out = dilated(out, width, height);
  return out;
}

function change(mask: Uint8Array, width: number, rect: Rect): void {
  for (let y = rect.y; y < rect.y + rect.height; y++) {
    for (let i = y * width + rect.x; i < y * width + rect.x + rect.width; i++) mask[i] ||= CHANGING;
  }
}

/** 1 for the levels of 8 bits that much of what is fixed has in some view, and those near them. */
function paintOf(mask: Uint8Array, views: readonly View[]): Uint8Array {
  const times = new Uint32Array(256);
  for (const { luma, free } of views) {
    for (let i = 0; i < mask.length; i++) if (mask[i] === FIXED && free[i] === 1) times[luma[i] & ~(LEVELS - 1)]++;
  }
  const all = times.reduce((sum, n) => sum + n, 0);
  const paint = new Uint8Array(256);
  times.forEach((n, level) => {
    if (n > MUCH * all) paint.fill(1, Math.max(0, level - LEVELS), level + 2 * LEVELS);
  });
  return paint;
}
