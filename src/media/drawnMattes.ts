import { closeSync, ftruncateSync, openSync, writeSync } from 'node:fs';
import type { FrameFormat, FrameReader, Rect } from '../core/image/format.ts';
import { drawMatte, type Matte } from '../core/shapes/matte.ts';
import type { Removal } from '../core/shapes/shape.ts';
import { matteFormat } from './decode.ts';
import { pauses } from './pauses.ts';
import { toShown } from './turn.ts';

export interface DrawnMatteOptions {
  /** Frames counted as those of the reader; drawn on the picture as it is shown. */
  removal: Removal;
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
    this.holds = options.removal.shapes.some(({ operation }) => operation === 'hold');
    this.format = matteFormat(options.width, options.height, this.holds);
    this.count = options.count;
  }

  readRows(frame: number, plane: number, y: number, rows: number, into: Uint8Array): void {
    const { width } = this.format;
    const matte = this.matte(frame);
    const { rect } = matte;
    const values = plane === 0 ? matte.values : (matte.held ?? new Uint8Array(matte.values.length));
    into.fill(0, 0, rows * width);
    const last = Math.min(y + rows, rect.y + rect.height);
    for (let row = Math.max(y, rect.y); row < last; row++) {
      const from = (row - rect.y) * rect.width;
      into.set(values.subarray(from, from + rect.width), (row - y) * width + rect.x);
    }
  }

  /** The part of a frame's matte that is not 0, as stored. */
  matte(frame: number): Matte {
    if (this.drawn?.frame !== frame) {
      const { removal, width, height, rotation } = this.options;
      const [w, h] = rotation % 180 === 90 ? [height, width] : [width, height];
      this.drawn = { frame, matte: turnBack(drawMatte(removal, frame, w, h), rotation, width, height) };
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

/** A matte of the picture as shown, in the orientation of the frames as stored (width x height). */
function turnBack(matte: Matte, rotation: number, width: number, height: number): Matte {
  if (rotation === 0) return matte;
  const { rect, values, held } = matte;
  const turned = turnedRect(rect, rotation, width, height);
  const turn = (plane: Uint8Array): Uint8Array => {
    const out = new Uint8Array(plane.length);
    for (let y = 0; y < turned.height; y++) {
      for (let x = 0; x < turned.width; x++) {
        const { x: u, y: v } = toShown({ x: turned.x + x, y: turned.y + y }, rotation, width, height);
        out[y * turned.width + x] = plane[(v - rect.y) * rect.width + u - rect.x];
      }
    }
    return out;
  };
  return { rect: turned, values: turn(values), held: held && turn(held) };
}

function turnedRect(r: Rect, rotation: number, width: number, height: number): Rect {
  if (rotation === 90) return { x: r.y, y: height - r.x - r.width, width: r.height, height: r.width };
  if (rotation === 180) {
    return { x: width - r.x - r.width, y: height - r.y - r.height, width: r.width, height: r.height };
  }
  return { x: width - r.y - r.height, y: r.x, width: r.height, height: r.width };
}
