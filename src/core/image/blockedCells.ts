/** The cells of a shot's frames that must not be used. */
export class BlockedCells {
  /**
   * @param side - Of a cell, px of the frames.
   * @param state - rows·cols bytes per frame; what is not 0 must not be used.
   */
  constructor(
    readonly cols: number,
    readonly rows: number,
    readonly side: number,
    private readonly state: Uint8Array,
  ) {}

  /** Those of one frame. */
  of(frame: number): Uint8Array {
    const n = this.cols * this.rows;
    return this.state.subarray(frame * n, (frame + 1) * n);
  }

  /** Whether a place of a frame must not be used, px; beyond the frame as at its border. */
  readonly has = (frame: number, x: number, y: number): boolean => {
    const { cols, rows, side } = this;
    const c = Math.min(cols - 1, Math.max(0, Math.floor(x / side)));
    const r = Math.min(rows - 1, Math.max(0, Math.floor(y / side)));
    return this.state[(frame * rows + r) * cols + c] !== 0;
  };
}
