import type { MatteCells } from '../image/matteCells.ts';
import type { Visibility, VisibilityFinder } from './visibility.ts';

/** Fewer sightings than this make a background thin: nothing averages the noise, one error shows. */
export const THIN_SIGHTINGS = 3;

/** Grey levels of the reveal as a picture. */
export const REVEAL_LEVEL = { none: 0, unseen: 85, thin: 170, seen: 255 } as const;

/** How much of one frame's hole the shot shows elsewhere. Areas in px of the frame (cells times their area). */
export interface FrameReveal {
  frame: number;
  hole: number;
  seen: number;
  thin: number;
  unseen: number;
}

export interface RevealMap extends FrameReveal {
  /** rows·cols bytes of {@link REVEAL_LEVEL}. */
  map: Uint8Array;
}

/** Reveal of one frame from what other frames see of its hole. */
export function revealOf(visibility: Visibility, cells: MatteCells): RevealMap {
  const map = new Uint8Array(cells.cols * cells.rows);
  const n = visibility.cells.length;
  const tally = { seen: 0, thin: 0, unseen: 0 };
  for (let k = 0; k < n; k++) {
    let sightings = 0;
    for (let s = k; s < visibility.seen.length && sightings < THIN_SIGHTINGS; s += n) sightings += visibility.seen[s];
    const kind = sightings === 0 ? 'unseen' : sightings < THIN_SIGHTINGS ? 'thin' : 'seen';
    tally[kind]++;
    map[visibility.cells[k]] = REVEAL_LEVEL[kind];
  }
  const px = cells.cell ** 2;
  return {
    frame: visibility.frame,
    map,
    hole: n * px,
    seen: tally.seen * px,
    thin: tally.thin * px,
    unseen: tally.unseen * px,
  };
}

/** Calls cells of a reveal's hole seen, thin or unseen, whatever they were called. @param cellPx - Side of a cell, px. */
export function regrade(
  reveal: RevealMap,
  cells: Iterable<number>,
  kind: 'seen' | 'thin' | 'unseen',
  cellPx: number,
): void {
  const kinds = new Map(KINDS.map((k) => [REVEAL_LEVEL[k] as number, k]));
  for (const i of cells) {
    const before = kinds.get(reveal.map[i]);
    if (!before) continue;
    reveal[before] -= cellPx ** 2;
    reveal[kind] += cellPx ** 2;
    reveal.map[i] = REVEAL_LEVEL[kind];
  }
}

const KINDS = ['seen', 'thin', 'unseen'] as const;

/** Frames that are tried as the place to complete what was never seen. */
const ANCHOR_CANDIDATES = 24;

/**
 * The frame in which completing the unseen would serve the most unseen cells of all frames.
 *
 * @param maps - Reveal map per frame (rows·cols), where cells at level `unseen` count.
 * @returns The frame, the number of cells served, and the number looked at; undefined when nothing is unseen.
 */
export function bestAnchor(
  maps: readonly (Uint8Array | undefined)[],
  cells: MatteCells,
  finder: VisibilityFinder,
): { frame: number; served: number; of: number } | undefined {
  const unseen = maps.map((map) => (map ? indicesOf(map, REVEAL_LEVEL.unseen) : []));
  const total = unseen.map((u) => u.length);
  const frames = total.flatMap((n, t) => (n > 0 ? [t] : []));
  if (frames.length === 0) return undefined;
  const tried = thinned(frames, ANCHOR_CANDIDATES);
  const asked = thinned(frames, ANCHOR_CANDIDATES * 2);
  const of = asked.reduce((sum, t) => sum + total[t], 0);
  let best = { frame: tried[0], served: -1, of };
  for (const a of tried) {
    let served = 0;
    for (const t of asked) {
      if (finder.sameScene(t, a)) served += countServed(unseen[t], maps[a]!, cells, finder.cellHomography(t, a));
    }
    // Among equals the frame nearest to the middle of the shot: its motion to the others is shortest.
    const mid = (f: number): number => Math.abs(f - maps.length / 2);
    if (served > best.served || (served === best.served && mid(a) < mid(best.frame))) best = { frame: a, served, of };
  }
  return best;
}

function countServed(cellsOfT: number[], anchorMap: Uint8Array, cells: MatteCells, m: Float64Array): number {
  let served = 0;
  for (const c of cellsOfT) {
    const [x, y] = [c % cells.cols, Math.floor(c / cells.cols)];
    const q = 1 / (m[6] * x + m[7] * y + m[8]);
    const u = Math.round((m[0] * x + m[1] * y + m[2]) * q);
    const v = Math.round((m[3] * x + m[4] * y + m[5]) * q);
    if (u < 0 || v < 0 || u >= cells.cols || v >= cells.rows) continue;
    if (anchorMap[v * cells.cols + u] === REVEAL_LEVEL.unseen) served++;
  }
  return served;
}

function indicesOf(map: Uint8Array, level: number): number[] {
  const out: number[] = [];
  for (let i = 0; i < map.length; i++) if (map[i] === level) out.push(i);
  return out;
}

function thinned<T>(values: T[], most: number): T[] {
  const step = Math.max(1, values.length / most);
  const out: T[] = [];
  for (let i = 0; i < values.length; i += step) out.push(values[Math.floor(i)]);
  return out;
}
