import { median } from '../geometry/linear.ts';
import { boxOf, FREE, HOLE, TAINT_PX, type MatteCells } from '../image/matteCells.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import type { FrameLight, LightAt } from './frameLight.ts';

/** How wide what is looked at around a matte is: a share of its size, within limits, cells. */
const RING_SHARE = 0.2;
const RING_CELLS = [2, 6] as const;
/** Places at most. */
const MOST = 600;
/** What is around goes with the matte if it is so much more like itself then, in this share of the pairs of frames; so many must tell. */
const LIKE = 0.65;
const SHARE = 2 / 3;
export const FEWEST = 4;

/** By how much what is around a matte differs between two frames, 8-bit levels; not a number where that cannot be told. */
export interface Unlike {
  /** If it goes as the camera's background does. */
  background: number;
  /** If it goes as the matte does. */
  matte: number;
}

/** Asks two frames whether what is around the matte of the first goes with the background or with the matte. */
export function goesWith(
  frameLight: Pick<FrameLight, 'of'>,
  cells: MatteCells,
  { from, to }: { from: number; to: number },
  { background, matte }: { background: CameraMotion; matte: CameraMotion },
): Unlike {
  const places = ringAround(cells, from);
  const [a, b] = [frameLight.of(from), frameLight.of(to)];
  const by = (motion: CameraMotion): number => {
    const moved = places.slice();
    motion.map(from, to, moved);
    return unlike(places, moved, a, b);
  };
  return { background: by(background), matte: by(matte) };
}

/** Whether pairs of frames say that something carries the matte. */
export function isCarried(answers: readonly Unlike[]): boolean {
  const told = answers.filter(({ background, matte }) => !Number.isNaN(background + matte));
  const carried = told.filter(({ background, matte }) => matte < LIKE * background);
  return told.length >= FEWEST && carried.length >= SHARE * told.length;
}

/** Middles of cells around the matte of a frame that nothing covers, px, interleaved. */
export function ringAround(cells: MatteCells, frame: number): Float64Array {
  const { cell, cols, rows, state } = cells;
  const first = frame * cols * rows;
  const box = boxOf(cells, frame);
  const size = Math.sqrt(cells.area[frame]) / cell;
  const wide = Math.round(Math.min(RING_CELLS[1], Math.max(RING_CELLS[0], RING_SHARE * size)));
  const reach = wide + Math.ceil(TAINT_PX / cell);
  const cellsOf = (low: number, length: number, count: number): [number, number] => [
    Math.max(0, Math.floor(low / cell) - reach),
    Math.min(count - 1, Math.floor((low + length - 1) / cell) + reach),
  ];
  const [left, right] = cellsOf(box.x, box.width, cols);
  const [top, bottom] = cellsOf(box.y, box.height, rows);
  const touches = (c: number, r: number): boolean => {
    for (let y = Math.max(0, r - reach); y <= Math.min(rows - 1, r + reach); y++) {
      for (let x = Math.max(0, c - reach); x <= Math.min(cols - 1, c + reach); x++) {
        if (state[first + y * cols + x] === HOLE) return true;
      }
    }
    return false;
  };
  const out: number[] = [];
  for (let r = top; r <= bottom; r++) {
    for (let c = left; c <= right; c++) {
      if (state[first + r * cols + c] === FREE && touches(c, r))
        out.push((c + 0.5) * cell - 0.5, (r + 0.5) * cell - 0.5);
    }
  }
  const every = Math.ceil(out.length / 2 / MOST);
  return Float64Array.from(out.filter((_, i) => (i >> 1) % every === 0));
}

/**
 * How much places differ between two pictures: the median difference, without what all of them differ by.
 * @param moved - The same places in the second one.
 * @returns Not a number where less than half of the places can be compared.
 */
export function unlike(places: Float64Array, moved: Float64Array, from: LightAt, to: LightAt): number {
  const differences: number[] = [];
  for (let k = 0; k < places.length; k += 2) {
    const d = from(places[k], places[k + 1]) - to(moved[k], moved[k + 1]);
    if (!Number.isNaN(d)) differences.push(d);
  }
  if (differences.length === 0 || differences.length < places.length / 4) return NaN;
  const usual = median(differences);
  return median(differences.map((d) => Math.abs(d - usual)));
}
