import { FIXED } from '../core/fixed/stays.ts';
import type { StaysAt } from '../core/fixed/staysPerFrame.ts';
import type { FrameFormat, FrameReader } from '../core/image/format.ts';
import { matteFormat } from './decode.ts';

/** Mattes of a film of which something stays, such as bars along its sides: it does as what is held out does, and shows nothing of the background. */
export class StayingMattes implements FrameReader {
  readonly format: FrameFormat;
  readonly count: number;

  constructor(
    private readonly full: FrameReader,
    private readonly staysAt: StaysAt,
  ) {
    const { width, height } = full.format;
    this.format = matteFormat(width, height, true);
    this.count = full.count;
  }

  readRows(frame: number, plane: number, y: number, rows: number, into: Uint8Array): void {
    const { full, format } = this;
    if (plane < full.format.planes.length) full.readRows(frame, plane, y, rows, into);
    else into.fill(0, 0, rows * format.width);
    const stays = this.staysAt(frame, y, rows);
    for (let i = 0; i < stays.length; i++) {
      if (stays[i] === 0) continue;
      if (plane > 0) into[i] = 255;
      else if (stays[i] === FIXED) into[i] = 0;
    }
  }
}
