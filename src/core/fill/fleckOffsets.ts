import { evenly } from '../evenly.ts';
import { HOLE, FREE, type MatteCells } from '../image/matteCells.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import type { FleckTally } from './fleckTally.ts';

/** Share of all rims that flecks cover at least, and how many times as many px come and go as stay. */
const LEAST_SHARE = 0.0015;
const TIMES_STAYING = 2;
/** Share of a rim in such a share of the frames asked: somebody who passes by, or another depth, is seen in some. */
const LEAST_OF_EACH = 0.001;
const MOST_FRAMES = 0.6;

/** Frames that are asked, and cells of each of their holes. */
const ASKED_FRAMES = 24;
const ASKED_CELLS = 80;
/** Offsets tried, frames: what falls is somewhere else after the first. */
const NEAREST = 8;
const FARTHEST = 160;
const STEP = 4;
/** Offsets taken at most, and the share of all that one must add. */
const MOST = 4;
const ADDS = 0.02;

/** Whether flecks pass before all of a shot. @param tallies - Of some frames, all over it. */
export function haveFlecks(tallies: readonly FleckTally[]): boolean {
  const sum = (by: keyof FleckTally): number => tallies.reduce((n, tally) => n + tally[by], 0);
  const some = tallies.filter(({ passing, of }) => passing > LEAST_OF_EACH * of);
  const passing = sum('passing');
  return (
    passing > LEAST_SHARE * sum('of') &&
    passing >= TIMES_STAYING * sum('staying') &&
    some.length >= MOST_FRAMES * tallies.length
  );
}

/** The offsets of {@link fleckOffsets} for a shot that has flecks, by what the rims of its holes tell; else none. */
export function fleckOffsetsOf(
  cells: MatteCells,
  camera: CameraMotion,
  gathered: readonly { frame: number; measure: { flecks?: FleckTally } }[],
): number[] {
  if (!haveFlecks(gathered.flatMap(({ measure }) => measure.flecks ?? []))) return [];
  const frames = gathered.map(({ frame }) => frame);
  return fleckOffsets(cells, camera, frames);
}

/**
 * How many frames away holes are free, together: what passes before them there is taken from so far away in time in all frames, so that
 * it goes on as it went. The best first; where one does not show a place the next one may.
 *
 * @param frames - Those with a hole.
 */
export function fleckOffsets(cells: MatteCells, camera: CameraMotion, frames: readonly number[]): number[] {
  const asked = evenly(frames, ASKED_FRAMES).flatMap((frame) => evenly(holeOf(cells, frame), ASKED_CELLS));
  const open = new Set(asked.keys());
  const tried: number[] = [];
  for (let d = NEAREST; d <= Math.min(FARTHEST, cells.count - 1); d += STEP) tried.push(d, -d);
  const shown = tried.map((offset) => ({
    offset,
    places: [...open].filter((k) => isFree(cells, camera, asked[k], offset)),
  }));
  const out: number[] = [];
  while (out.length < MOST) {
    const counts = shown.map(({ places }) => places.filter((k) => open.has(k)).length);
    const most = Math.max(0, ...counts);
    if (most === 0 || most < ADDS * asked.length) break;
    const { offset, places } = shown[counts.indexOf(most)];
    out.push(offset);
    for (const k of places) open.delete(k);
  }
  return out;
}

/** A frame from which flecks are taken, and one near to it in time, in which they are elsewhere. */
export interface FleckSource {
  frame: number;
  check: number;
}

/** So far away that is, frames. */
const CHECKED_AFTER = 3;

/** Those at some offsets from a frame. */
export function fleckSources(offsets: readonly number[], frame: number, camera: CameraMotion): FleckSource[] {
  const isThere = (t: number): boolean => t >= 0 && t < camera.data.count && camera.sameScene(frame, t);
  return offsets
    .map((offset) => frame + offset)
    .filter(isThere)
    .map((t) => ({ frame: t, check: isThere(t + CHECKED_AFTER) ? t + CHECKED_AFTER : t - CHECKED_AFTER }));
}

/** Middle of a cell, px of its frame. */
interface Place {
  frame: number;
  x: number;
  y: number;
}

function holeOf({ cell, cols, rows, state }: MatteCells, frame: number): Place[] {
  const out: Place[] = [];
  const own = state.subarray(frame * cols * rows, (frame + 1) * cols * rows);
  own.forEach((s, i) => {
    if (s === HOLE) out.push({ frame, x: ((i % cols) + 0.5) * cell, y: (Math.floor(i / cols) + 0.5) * cell });
  });
  return out;
}

function isFree(
  { cell, cols, rows, count, state }: MatteCells,
  camera: CameraMotion,
  place: Place,
  offset: number,
): boolean {
  const to = place.frame + offset;
  if (to < 0 || to >= count || !camera.sameScene(place.frame, to)) return false;
  const there = Float64Array.of(place.x, place.y);
  camera.map(place.frame, to, there);
  const [c, r] = [Math.floor(there[0] / cell), Math.floor(there[1] / cell)];
  return c >= 0 && r >= 0 && c < cols && r < rows && state[(to * rows + r) * cols + c] === FREE;
}
