import { CELL, offsetGrid } from './offsetGrid.ts';
import type { Region } from './region.ts';

/** Weights of the sources that must see a px together for their agreement to tell anything. */
export const ENOUGH = 1.2;
/** Px of a cell that must tell. */
export const TELLING = CELL;
/** Floats per source and cell. */
export const AGREEMENT_FLOATS = 3;

/** How far around a cell a source is judged, cells, and cells that must tell about it. */
const AROUND = 5;
const NEEDED = 3;
/** A source that agrees with the others less than this around a place shows something else there: share of the usual. */
const BELIEVED = 0.4;

/** What each source of a region shows, and how it agrees with the others. */
export class SourceAgreement {
  private readonly cols: number;
  private readonly rows: number;
  /** Per source and cell of the offset grid: px shown, px told about by several, sum of its agreement there. */
  private readonly table: Float32Array;

  constructor(
    region: Region,
    private readonly sources: number,
  ) {
    const { cols, rows } = offsetGrid(region);
    [this.cols, this.rows] = [cols, rows];
    this.table = new Float32Array(sources * cols * rows * AGREEMENT_FLOATS);
  }

  /** Takes the cells of one row of tiles: two rows of cells per source. */
  setRow(row: number, cells: Float32Array): void {
    const { cols, rows } = this;
    const n = 2 * cols * AGREEMENT_FLOATS;
    for (let k = 0; k < this.sources; k++) {
      this.table.set(cells.subarray(k * n, (k + 1) * n), (k * rows + 2 * row) * cols * AGREEMENT_FLOATS);
    }
  }

  /** Takes a cell from another one of the same region and sources. */
  takeCell(cell: number, from: SourceAgreement): void {
    for (let k = 0; k < this.sources; k++) {
      const at = this.at(k, cell);
      for (let j = at; j < at + AGREEMENT_FLOATS; j++) this.table[j] = from.table[j];
    }
  }

  /**
   * Whether sources that show a cell show something else than the others do around it: what stands before the background
   * there, and not the background. Of all of them, of some, or of none.
   *
   * @param usual - Agreement that is usual here, 0..1.
   */
  strangersAt(cell: number, usual: number): 'all' | 'some' | 'none' {
    let [showing, strange] = [0, 0];
    for (let k = 0; k < this.sources; k++) {
      if (this.table[this.at(k, cell)] === 0) continue;
      showing++;
      if (this.agreementAround(k, cell) < BELIEVED * usual) strange++;
    }
    if (strange === 0) return 'none';
    return strange === showing ? 'all' : 'some';
  }

  /** Mean agreement of a source with the others around a cell; NaN where too little is told. */
  private agreementAround(source: number, cell: number): number {
    const { cols, rows, table } = this;
    const [x, y] = [cell % cols, Math.floor(cell / cols)];
    let [sum, told, cells] = [0, 0, 0];
    for (let r = Math.max(0, y - AROUND); r <= Math.min(rows - 1, y + AROUND); r++) {
      for (let c = Math.max(0, x - AROUND); c <= Math.min(cols - 1, x + AROUND); c++) {
        const at = this.at(source, r * cols + c);
        if (table[at + 1] < TELLING) continue;
        // The nearer the more it says.
        const weight = 1 / (1 + (c - x) ** 2 + (r - y) ** 2);
        sum += weight * table[at + 2];
        told += weight * table[at + 1];
        cells++;
      }
    }
    return cells >= NEEDED ? sum / told : NaN;
  }

  private at(source: number, cell: number): number {
    return (source * this.cols * this.rows + cell) * AGREEMENT_FLOATS;
  }
}
