import type { FrameFormat, FrameReader, Rect } from '../core/image/format.ts';
import { bytesOf } from '../core/image/mapped.ts';
import type { MotionCue } from '../core/outline/motionCue.ts';
import { tellApart } from '../core/outline/pointOut.ts';
import { rasterRows, type RasterPatch } from '../core/shapes/raster.ts';
import { matteFormat } from './decode.ts';
import { maskOf } from './drawnMask.ts';
import type { DrawnMattes } from './drawnMattes.ts';
import { shownSize } from './probe.ts';
import { softened } from './softened.ts';
import { turnBack } from './turn.ts';

/** The mattes of an outline with the edge that the picture shows, on the picture as it is shown. */
export class OutlineMattes implements FrameReader {
  readonly format: FrameFormat;
  private made: { frame: number; patch: RasterPatch } | undefined;

  /**
   * @param drawn - By the outline, as stored, frames counted as those of the clip.
   * @param frames - Of the clip, numbered as in it; frames outside of `known` are not asked for.
   * @param reach - How far on both sides of the outline the edge may lie, px.
   * @param apart - What moves in a frame: only that is the thing, and what shows between its parts is not; nor is what else goes by
   *   its outlines there, on the frames as stored.
   */
  constructor(
    private readonly drawn: DrawnMattes,
    private readonly frames: FrameReader,
    private readonly clip: { width: number; height: number; rotation: number },
    private readonly range: { first: number; last: number; known: { first: number; last: number } },
    private readonly reach: number,
    private readonly apart?: { cueAt: (frame: number, part: Rect) => MotionCue; others: DrawnMattes },
  ) {
    const { width, height } = shownSize(clip);
    this.format = matteFormat(width, height, false);
  }

  get count(): number {
    return this.range.last - this.range.first + 1;
  }

  readRows(frame: number, _plane: number, y: number, rows: number, into: Uint8Array): void {
    rasterRows(this.patch(frame), this.format.width, y, rows, into);
  }

  private patch(frame: number): RasterPatch {
    if (this.made?.frame !== frame) this.made = { frame, patch: this.make(this.range.first + frame) };
    return this.made.patch;
  }

  private make(frame: number): RasterPatch {
    const patch = this.drawn.matte(frame);
    const { known } = this.range;
    const told = frame >= known.first && frame <= known.last;
    const soft = told ? softened(this.toldApart(patch, frame), this.frames, frame, this.reach) : patch;
    return turnBack(soft, 360 - this.clip.rotation, this.format.width, this.format.height);
  }

  private toldApart(patch: RasterPatch, frame: number): RasterPatch {
    if (!this.apart || patch.rect.width === 0) return patch;
    const { cueAt, others } = this.apart;
    const cue = cueAt(frame, patch.rect);
    const { data, ...rect } = tellApart(this.frames, frame, maskOf(patch), cue, maskOf(others.matte(frame)));
    return { rect, values: bytesOf(data, (v) => 255 * v) };
  }
}
