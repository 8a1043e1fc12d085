import { median, select } from '../geometry/linear.ts';
import { agreementWithFrame, type Gathered } from './gathered.ts';
import { CELL, offsetGrid } from './offsetGrid.ts';
import { activeCells } from './smoothField.ts';
import { ENOUGH, TELLING } from './sourceAgreement.ts';

/** Mean share of agreeing weight of the px of a mask at which enough sources tell something, per cell; NaN where that are too few. */
export const cellShares = (gathered: Gathered, mask: Uint8Array): Float32Array =>
  cellMeans(gathered, mask, (i) => gathered.share[i]);

/**
 * How far a frame's rim rests, per cell, 0..1: sources agree about it, or most of them do with the frame itself, whatever passes before the
 * others. NaN where too few tell.
 */
export function restOfRim(gathered: Gathered): Float32Array {
  const { region, tau } = gathered;
  const out = cellShares(gathered, region.known);
  cellMeans(gathered, region.known, (i) => agreementWithFrame(gathered, i, tau)).forEach((v, i) => {
    if (v > out[i]) out[i] = v;
  });
  return out;
}

function cellMeans({ region, support, share }: Gathered, mask: Uint8Array, value: (i: number) => number): Float32Array {
  const { width } = region.rect;
  const { cols, rows } = offsetGrid(region);
  const out = new Float32Array(cols * rows).fill(NaN);
  for (const cell of activeCells(region)) {
    const first = Math.floor(cell / cols) * CELL * width + (cell % cols) * CELL;
    let [sum, n] = [0, 0];
    for (let b = 0; b < CELL; b++) {
      for (let i = first + b * width; i < first + b * width + CELL; i++) {
        if (mask[i] === 0 || share[i] === 0 || support[i] < ENOUGH * share[i]) continue;
        sum += value(i);
        n++;
      }
    }
    if (n >= TELLING) out[cell] = sum / n;
  }
  return out;
}

/** Means over a cell and those up to `reach` away, of those that are known; NaN stays. */
export function smoothedCells(cells: Float32Array, cols: number, rows: number, reach = 1): Float32Array {
  return cells.map((value, i) => {
    if (Number.isNaN(value)) return NaN;
    const [x, y] = [i % cols, Math.floor(i / cols)];
    let [sum, n] = [0, 0];
    for (let r = Math.max(0, y - reach); r <= Math.min(rows - 1, y + reach); r++) {
      for (let k = r * cols + Math.max(0, x - reach); k <= r * cols + Math.min(cols - 1, x + reach); k++) {
        if (Number.isNaN(cells[k])) continue;
        sum += cells[k];
        n++;
      }
    }
    return sum / n;
  });
}

/** The median of the cells nearest to a place that tell anything: of so many of them, and of any that are as near as the last. */
export function medianBeside(cells: Float32Array, cols: number): (cell: number, most: number) => number {
  const told = cells.map((_, i) => i).filter((i) => !Number.isNaN(cells[i]));
  const off = new Float64Array(told.length);
  return (cell, most) => {
    if (told.length === 0) return NaN;
    const [x, y] = [cell % cols, Math.floor(cell / cols)];
    for (let k = 0; k < told.length; k++) {
      off[k] = ((told[k] % cols) - x) ** 2 + (Math.floor(told[k] / cols) - y) ** 2;
    }
    const limit = select(off.slice(), Math.max(1, Math.min(most, told.length)) - 1);
    return median(told.filter((_, k) => off[k] <= limit).map((i) => cells[i]));
  };
}
