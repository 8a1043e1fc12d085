import { closeSync, ftruncateSync, openSync, writeSync } from 'node:fs';
import type { FrameFormat, FrameReader } from '../core/image/format.ts';
import { besideOthers, drawMatte, type Matte } from '../core/shapes/matte.ts';
import { rasterRows } from '../core/shapes/raster.ts';
import type { Removal } from '../core/shapes/shape.ts';
import { matteFormat } from './decode.ts';
import { pauses } from './pauses.ts';
import { shownSize } from './probe.ts';
import { turnBack } from './turn.ts';

export interface DrawnMatteOptions {
  /** Frames counted as those of the reader; drawn on the picture as it is shown. */
  removal: Removal;
  /** What else goes away, by itself, and is still to be seen in the frames: it is held out. */
  beside?: readonly Removal[];
  /** Of the frames as stored, px. */
  width: number;
  height: number;
  /** Clockwise turn, degrees, from stored to shown. */
  rotation: number;
  count: number;
}

/** The mattes of a removal, drawn when they are asked for, in the orientation of the frames as stored. */
export class DrawnMattes implements FrameReader {
  readonly format: FrameFormat;
  readonly count: number;
  private readonly holds: boolean;
  private drawn: { frame: number; matte: Matte } | undefined;

  constructor(private readonly options: DrawnMatteOptions) {
    const { removal, beside = [] } = options;
    this.holds = beside.length > 0 || removal.shapes.some(({ operation }) => operation === 'hold');
    this.format = matteFormat(options.width, options.height, this.holds);
    this.count = options.count;
  }

  readRows(frame: number, plane: number, y: number, rows: number, into: Uint8Array): void {
    const { rect, values, held } = this.matte(frame);
    const part = plane === 0 ? values : (held ?? new Uint8Array(values.length));
    rasterRows({ rect, values: part }, this.format.width, y, rows, into);
  }

  /** The part of a frame's matte that is not 0, as stored. */
  matte(frame: number): Matte {
    if (this.drawn?.frame !== frame) {
      const { removal, beside = [], width, height, rotation } = this.options;
      const shown = shownSize(this.options);
      const [own, ...others] = [removal, ...beside].map((one) => drawMatte(one, frame, shown.width, shown.height));
      this.drawn = { frame, matte: turnBack(besideOthers(own, others), rotation, width, height) };
    }
    return this.drawn.matte;
  }

  /** Writes all mattes as a plain file, one grey frame after another. Empty stretches take no room on the disk. */
  async write(path: string, signal?: AbortSignal): Promise<void> {
    const { width, height } = this.format;
    const fd = openSync(path, 'w');
    const pause = pauses(signal);
    try {
      const planes = this.format.planes.length;
      ftruncateSync(fd, width * height * planes * this.count);
      for (let t = 0; t < this.count; t++) {
        const { rect, values, held } = this.matte(t);
        [values, held].forEach((plane, p) => {
          for (let row = 0; plane && row < rect.height; row++) {
            const at = ((t * planes + p) * height + rect.y + row) * width + rect.x;
            writeSync(fd, plane, row * rect.width, rect.width, at);
          }
        });
        await pause();
      }
    } finally {
      closeSync(fd);
    }
  }
}
