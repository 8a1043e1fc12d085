import { SHARED_EVERY, type Visibility } from './visibility.ts';

/** Time distance, frames, at which a source is worth half as much. */
const HALF_WORTH = 30;
/** What a source that the neighbouring frames have not got too is worth, of one that they have. */
const ALONE_WORTH = 0.2;

/** How many sources a frame is filled from. */
export interface SourceBudget {
  most: number;
  /** Sources a cell needs before it stops asking. */
  enough: number;
  /** Sources beyond the most that may be added for what none of these shows. */
  more: number;
  /** So many are first taken of the grid that all frames share: of two that lie close together both show who passes at the same place. */
  apart?: { most: number; enough: number };
}

/**
 * The frames that a hole is filled from: greedily those that add most to cells with few sources, near ones first, and
 * first those on the grid that all frames share: so the fill changes little from frame to frame, and what passes near one
 * source is outvoted by others that lie farther apart (submodular cover, Nemhauser et al. 1978). What a frame adds only falls as others are chosen, so it is counted again only
 * while an older count says that it may be the best (lazy greedy, Minoux 1978).
 *
 * @returns Frame numbers in ascending order.
 */
export function chooseSources(visibility: Visibility, { most, enough, more, apart }: SourceBudget): number[] {
  const have = new Uint8Array(visibility.cells.length);
  const chosen = apart ? greedily(visibility, have, apart.most, apart.enough, isShared) : [];
  chosen.push(...greedily(visibility, have, most - chosen.length, enough, (source) => !chosen.includes(source)));
  chosen.push(...greedily(visibility, have, more, 1));
  return chosen.sort((a, b) => a - b);
}

/** @param have - Sources that each cell has already; counted on. */
function greedily(
  visibility: Visibility,
  have: Uint8Array,
  most: number,
  enough: number,
  isAsked = (_source: number): boolean => true,
): number[] {
  const { sources, seen } = visibility;
  const n = have.length;
  const gains = Float64Array.from(sources, (s) => (isAsked(s) ? Infinity : 0));
  const chosen: number[] = [];
  let counted = new Uint8Array(sources.length);
  while (chosen.length < most) {
    const k = largest(gains);
    if (k < 0 || gains[k] <= 0) break;
    if (counted[k] === 0) {
      gains[k] = gainOf(k, visibility, have, enough);
      counted[k] = 1;
      continue;
    }
    chosen.push(sources[k]);
    gains[k] = 0;
    counted = new Uint8Array(sources.length);
    for (let i = 0, o = k * n; i < n; i++, o++) have[i] += seen[o];
  }
  return chosen;
}

/** What a source adds to cells that have fewer than enough. */
function gainOf(k: number, { cells, sources, seen, frame }: Visibility, have: Uint8Array, enough: number): number {
  const n = cells.length;
  let gain = 0;
  for (let i = 0, o = k * n; i < n; i++, o++) if (seen[o] === 1 && have[i] < enough) gain += 1 / (1 + have[i]);
  return worthOf(sources[k], frame) * gain;
}

const isShared = (source: number): boolean => source % SHARED_EVERY === 0;

/** What a source is worth for a frame, 0..1. */
export function worthOf(source: number, frame: number): number {
  const near = 1 / (1 + Math.abs(source - frame) / HALF_WORTH);
  return isShared(source) ? near : ALONE_WORTH * near;
}

/** The first of the largest values; -1 if there are none. */
function largest(values: Float64Array): number {
  let best = -1;
  for (let k = 0; k < values.length; k++) if (best < 0 || values[k] > values[best]) best = k;
  return best;
}
