import { knownAround, type Incomplete, type PatchSets } from './patches.ts';
import { fitCost, seamCost } from './shiftMap.ts';

/** Rounds over all shifts: how one lies best depends on its neighbours. */
const ROUNDS = 2;
/** From the middle outward: of equal ones the first counts. */
const MOVES = [0, -1, 1];

/** What is taken by one shift. */
interface Part {
  label: number;
  /** Its pixels, each with the known ones of its patch. */
  pixels: { at: number; known: number[] }[];
  /** Pairs of neighbours of which only the first is of this part. */
  seams: { own: number; other: number }[];
}

/**
 * Moves shifts by up to one px each, so that the parts of the picture that are taken by them fit one another and what is known:
 * shifts that were found at half the size say no more than two px.
 *
 * @param labels - Per pixel the number of its shift; −1 = none. @param shifts - dx0 dy0 dx1 dy1 …, px.
 */
export function alignShifts(
  picture: Incomplete,
  sets: PatchSets,
  labels: Int32Array,
  shifts: readonly number[],
): number[] {
  const out = [...shifts];
  const parts = partsOf(picture, sets, labels);
  for (let round = 0; round < ROUNDS; round++) {
    for (const part of parts) {
      const at = 2 * part.label;
      const moves = MOVES.flatMap((dy) => MOVES.map((dx) => [shifts[at] + dx, shifts[at + 1] + dy]));
      const costs = moves.map(([dx, dy]) => costOf(picture, sets, labels, out, part, dx, dy));
      [out[at], out[at + 1]] = moves[costs.indexOf(Math.min(...costs))];
    }
  }
  return out;
}

function partsOf(picture: Incomplete, { target }: PatchSets, labels: Int32Array): Part[] {
  const parts = new Map<number, Part>();
  labels.forEach((label, at) => {
    if (target[at] === 0 || label < 0) return;
    const part = parts.get(label) ?? { label, pixels: [], seams: [] };
    parts.set(label, part);
    part.pixels.push({ at, known: knownAround(picture, at) });
    for (const step of [-1, 1, -picture.width, picture.width]) {
      const other = at + step;
      if (target[other] === 1 && labels[other] >= 0 && labels[other] !== label) part.seams.push({ own: at, other });
    }
  });
  return [...parts.values()];
}

/** How badly a part fits, if it is taken by this shift and its neighbours as they are. */
function costOf(
  picture: Incomplete,
  sets: PatchSets,
  labels: Int32Array,
  shifts: readonly number[],
  { pixels, seams }: Part,
  dx: number,
  dy: number,
): number {
  const step = dy * picture.width + dx;
  let sum = 0;
  for (const { at, known } of pixels) sum += fitCost(picture, sets, at, known, dx, dy);
  for (const { own, other } of seams) {
    const label = labels[other];
    sum += seamCost(picture.colour, own, other, step, shifts[2 * label + 1] * picture.width + shifts[2 * label]);
  }
  return sum;
}
