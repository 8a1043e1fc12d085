import { withinBars, type Bars } from '../core/image/bars.ts';
import type { FrameFormat, FrameReader, Rect } from '../core/image/format.ts';
import { matteFormat } from './decode.ts';

/** Mattes of a film with bars along its sides: these stay, as what is held out does, and show nothing of the background. */
export class BarredMattes implements FrameReader {
  readonly format: FrameFormat;
  readonly count: number;
  private readonly picture: Rect;

  /** @param bars - In px of the mattes. */
  constructor(
    private readonly full: FrameReader,
    bars: Bars,
  ) {
    const { width, height } = full.format;
    this.format = matteFormat(width, height, true);
    this.count = full.count;
    this.picture = withinBars(bars, full.format);
  }

  readRows(frame: number, plane: number, y: number, rows: number, into: Uint8Array): void {
    const { full, picture, format } = this;
    if (plane < full.format.planes.length) full.readRows(frame, plane, y, rows, into);
    else into.fill(0, 0, rows * format.width);
    const value = plane === 0 ? 0 : 255;
    for (let row = 0; row < rows; row++) {
      const own = into.subarray(row * format.width, (row + 1) * format.width);
      const isBar = y + row < picture.y || y + row >= picture.y + picture.height;
      own.fill(value, 0, isBar ? format.width : picture.x);
      own.fill(value, picture.x + picture.width);
    }
  }
}
