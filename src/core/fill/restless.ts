import { ramp } from '../geometry/ramp.ts';
import { cellShares, medianBeside, restOfRim, smoothedCells } from './cellShares.ts';
import type { Gathered } from './gathered.ts';
import { cellsAt, middlesOf, offsetGrid } from './offsetGrid.ts';
import type { Region } from './region.ts';
import { activeCells } from './smoothField.ts';

/** Share of agreeing weight from which a place rests, and under which it is restless. */
const RESTS = 0.72;
const RESTLESS = 0.6;
/** Cells, each way, over which agreement is averaged: crests and troughs agree by chance here and there. */
const REACH = 2;
/** Rim cells that tell about a place, and share of all of them that tell whether anything is restless at all. */
const NEAREST = 24;
const TELLING_SHARE = 0.1;

/** Where the background of a region is restless. */
export interface Restless {
  /** How much, per cell of the offset grid, 0..1. */
  cells: Float32Array;
  /** Told by a whole part of the rim. */
  sure: boolean;
}

/**
 * How restless the background is: water and leaves move by themselves, and no other frame shows just what a frame
 * shows there. Told by sources that do not agree about a place of the hole, nor about the rim beside it, nor with the frame itself there. A
 * near thing that slides before a place is seen on less of the rim, and most sources agree with the frame about that.
 *
 * @param told - Middles of cells that other frames call restless, frame px, interleaved: their rims saw what this one's does not.
 * @returns undefined where all of it rests.
 */
export function restlessnessOf(gathered: Gathered, told: ArrayLike<number> = []): Restless | undefined {
  const { region } = gathered;
  const { cols, rows } = offsetGrid(region);
  const hole = smoothedCells(cellShares(gathered, region.alpha), cols, rows, REACH);
  if (hole.every((v) => !(v < RESTS))) return undefined;
  const rim = smoothedCells(restOfRim(gathered), cols, rows, REACH);
  const beside = medianBeside(rim, cols);
  const elsewhere = cellsAt(region, told);
  const cells = new Float32Array(cols * rows);
  for (const cell of activeCells(region)) {
    const own = Number.isNaN(hole[cell]) ? rim[cell] : hole[cell];
    if (own > RESTS) continue;
    const around = elsewhere.has(cell) ? 1 : restlessness(beside(cell, NEAREST));
    cells[cell] = Math.min(around, Number.isNaN(own) ? 1 : restlessness(own));
  }
  if (cells.every((v) => v === 0)) return undefined;
  const most = Math.round(TELLING_SHARE * rim.reduce((n, v) => n + (Number.isNaN(v) ? 0 : 1), 0));
  const sure = cells.some((v, cell) => v === 1 && beside(cell, most) < RESTLESS);
  return { cells: spreadOut(cells, cols, rows), sure };
}

/** Middles of cells that are as restless as can be, frame px, interleaved. */
export const restlessPlaces = (region: Region, { cells }: Restless): number[] =>
  middlesOf(
    region,
    [...cells.keys()].filter((i) => cells[i] === 1),
  );

/** With what lies next to restless cells: to where waves run up, some of the sources that a cell is told by rest. */
function spreadOut(cells: Float32Array, cols: number, rows: number): Float32Array {
  return cells.map((_, i) => {
    const [x, y] = [i % cols, Math.floor(i / cols)];
    let most = 0;
    for (let r = Math.max(0, y - REACH); r <= Math.min(rows - 1, y + REACH); r++) {
      for (let c = Math.max(0, x - REACH); c <= Math.min(cols - 1, x + REACH); c++) {
        most = Math.max(most, cells[r * cols + c]);
      }
    }
    return most;
  });
}

/** Of a place about which such a share of the weights agrees, 0..1; none where that is not known. */
const restlessness = (share: number): number => ramp(share, RESTS, RESTLESS) || 0;
