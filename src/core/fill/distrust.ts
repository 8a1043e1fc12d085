import { median } from '../geometry/linear.ts';
import { components } from '../image/components.ts';
import { cellShares, smoothedCells } from './cellShares.ts';
import type { Gathered } from './gathered.ts';
import { CELL, cellsAt, middlesOf, offsetGrid } from './offsetGrid.ts';
import type { Region } from './region.ts';
import { activeCells } from './smoothField.ts';
import { ENOUGH } from './sourceAgreement.ts';
import { bytesOf } from '../image/mapped.ts';

/** Share of agreeing weight that grain alone leaves. */
const USUAL = 0.8;
/** Shares, of the usual one, under which a cell may belong to a contradiction, and under which a whole one must lie. */
const LOW = 0.78;
const CONTRADICTED = 0.65;

/**
 * Takes the support from parts of a hole about which the sources contradict one another: what they show there is not
 * the background but something nearer that passes before it, whose own movement is another one.
 *
 * Cells of low agreement that hang together are judged as one: texture that happens to agree in some of them does not
 * save them, nor does a px that is badly registered condemn its surroundings. Where the rim agrees badly too (water,
 * leaves), less is asked for. Where too few see a place to contradict one another, they are judged by what they show
 * beside it.
 *
 * @returns Places of the untrusted cells' middles, frame px, interleaved.
 */
export function withdrawContradicted(gathered: Gathered): number[] {
  const { region, support } = gathered;
  const { cols, rows } = offsetGrid(region);
  const rim = cellShares(gathered, region.known).filter((v) => !Number.isNaN(v));
  const usual = rim.length > 0 ? Math.min(USUAL, median(rim)) : USUAL;
  const { all, some } = strangersOf(gathered, usual);
  const cells = new Set([...contradictedCells(gathered, usual), ...widened(all, cols, rows)]);
  const out = middlesOf(region, cells);
  // Of what strangers show beside others, only the px are left out that hardly anybody else sees.
  withdraw(region, support, middlesOf(region, some), ENOUGH);
  withdraw(region, support, out);
  return out;
}

/** Cells about which the sources contradict one another, with those beside them. */
function contradictedCells(gathered: Gathered, usual: number): number[] {
  const { region } = gathered;
  const { cols, rows } = offsetGrid(region);
  const hole = cellShares(gathered, region.alpha);
  const untold = new Uint8Array(hole.length);
  for (const i of activeCells(region)) untold[i] = Number.isNaN(hole[i]) && holds(region, i, cols) ? 1 : 0;
  const smooth = smoothedCells(hole, cols, rows);
  const low = bytesOf(smooth, (v, i) => (v < LOW * usual && !isRestless(gathered, i) ? 1 : 0));
  return components(low, cols, rows).flatMap((group) => {
    const mean = group.reduce((sum, i) => sum + smooth[i], 0) / group.length;
    if (mean > CONTRADICTED * usual || group.length < 2) return [];
    return widened(withUntold(group, untold, cols, rows), cols, rows);
  });
}

const isRestless = ({ restless }: Gathered, cell: number): boolean =>
  restless !== undefined && restless.cells[cell] > 0;

/** Cells seen by few, of which all, or some, show something else than the background around them. */
function strangersOf(gathered: Gathered, usual: number): { all: number[]; some: number[] } {
  const { region, support, agreement } = gathered;
  const out: { all: number[]; some: number[] } = { all: [], some: [] };
  for (const cell of thinCells(region, support)) {
    if (isRestless(gathered, cell)) continue;
    const strangers = agreement.strangersAt(cell, usual);
    if (strangers !== 'none') out[strangers].push(cell);
  }
  return out;
}

/** Cells of the hole of which some px is seen by few. */
function thinCells(region: Region, support: Float32Array): number[] {
  const { cols } = offsetGrid(region);
  const { width } = region.rect;
  return [...activeCells(region)].filter((cell) => {
    const first = Math.floor(cell / cols) * CELL * width + (cell % cols) * CELL;
    for (let b = 0; b < CELL; b++) {
      for (let i = first + b * width; i < first + b * width + CELL; i++) {
        if (region.alpha[i] > 0 && support[i] > 0 && support[i] < ENOUGH) return true;
      }
    }
    return false;
  });
}

/**
 * Takes the support from the cells with the given middles, frame px, interleaved.
 * @param below - Only from px with less of it.
 */
export function withdraw(region: Region, support: Float32Array, middles: ArrayLike<number>, below = Infinity): void {
  const { width } = region.rect;
  const { cols } = offsetGrid(region);
  for (const cell of cellsAt(region, middles)) {
    const first = Math.floor(cell / cols) * CELL * width + (cell % cols) * CELL;
    for (let b = 0; b < CELL; b++) {
      for (let i = first + b * width; i < first + b * width + CELL; i++) if (support[i] < below) support[i] = 0;
    }
  }
}

/** Whether part of the hole lies in a cell. */
function holds({ alpha, rect }: Region, cell: number, cols: number): boolean {
  const first = Math.floor(cell / cols) * CELL * rect.width + (cell % cols) * CELL;
  for (let b = 0; b < CELL; b++) {
    for (let i = first + b * rect.width; i < first + b * rect.width + CELL; i++) if (alpha[i] > 0) return true;
  }
  return false;
}

/** A group with the cells of the hole beside it about which nothing is told: too few sources see them. */
function withUntold(group: readonly number[], untold: ArrayLike<number>, cols: number, rows: number): number[] {
  const out = new Set(group);
  for (const i of out) {
    for (const k of widened([i], cols, rows)) if (untold[k] === 1) out.add(k);
  }
  return [...out];
}

/** Cells and those next to them. */
function widened(cells: readonly number[], cols: number, rows: number): number[] {
  const out = new Set<number>();
  for (const i of cells) {
    const [x, y] = [i % cols, Math.floor(i / cols)];
    for (let r = Math.max(0, y - 1); r <= Math.min(rows - 1, y + 1); r++) {
      for (let c = Math.max(0, x - 1); c <= Math.min(cols - 1, x + 1); c++) out.add(r * cols + c);
    }
  }
  return [...out];
}
