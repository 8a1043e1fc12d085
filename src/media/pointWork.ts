import type { FrameFormat, Rect } from '../core/image/format.ts';
import type { Point } from '../core/geometry/homography.ts';
import type { MaskPatch } from '../core/movers/maskPatch.ts';
import type { CameraMotionData } from '../core/motion/cameraMotion.ts';
import { CLICK_RADIUS, paintOver, type Hints, type Stroke } from '../core/outline/hints.ts';
import type { MotionCue } from '../core/outline/motionCue.ts';
import { pointOut } from '../core/outline/pointOut.ts';
import { sharpPoints } from '../core/shapes/shape.ts';
import type { Kernels } from '../kernels/index.ts';
import { drawnMask } from './drawnMask.ts';
import { MotionCues } from './motionCues.ts';
import { OnePicture } from './onePicture.ts';
import { fineOutline } from './shownOutline.ts';
import type { SmallFrames } from './smallFrames.ts';
import { toStored } from './turn.ts';

/** What a person points at in a frame, places in px of the picture as shown. */
export interface PointRequest {
  /** The frame as stored. */
  picture: { bytes: Uint8Array; format: FrameFormat };
  clip: { width: number; height: number; rotation: number };
  add: number[][];
  remove: number[][];
  box?: readonly number[];
  prior?: number[];
  brush?: number;
  /** What tells what moves, and the number that the frame has there. */
  shot?: { key: string; frame: number; small: Omit<SmallFrames, 'count'>; camera: CameraMotionData };
}

/** Answers what is pointed at, with what moves in the shot and frame at hand kept from one answer to the next. */
export class PointSession {
  private cues?: { key: string; cues: MotionCues };
  private cue?: { key: string; cue: MotionCue };

  constructor(private readonly openKernels: () => Promise<Kernels>) {}

  /** @returns The outline found, x0 y0 x1 y1 …, px of the picture as shown; empty if there is none. */
  async answer(request: PointRequest): Promise<number[]> {
    const { picture, clip, prior, brush } = request;
    const frames = new OnePicture(picture.bytes, picture.format);
    const hints = hintsOf(request);
    const before = prior && maskOf(prior, clip);
    if (brush) {
      const whole = { x: 0, y: 0, width: clip.width, height: clip.height };
      const empty = { x: 0, y: 0, width: 0, height: 0, data: new Uint8Array(0) };
      return fineOutline(paintOver(before ?? empty, hints, whole), clip);
    }
    const cue = request.shot && (await this.cueFor(request.shot));
    return fineOutline(pointOut(frames, 0, hints, cue, before), clip);
  }

  private async cueFor({ key, frame, small, camera }: NonNullable<PointRequest['shot']>): Promise<MotionCue> {
    if (this.cues?.key !== key) {
      this.cues?.cues.close();
      this.cues = { key, cues: new MotionCues(await this.openKernels(), small, camera) };
    }
    const place = `${key}:${frame}`;
    if (this.cue?.key !== place) this.cue = { key: place, cue: this.cues.cues.at(frame) };
    return this.cue.cue;
  }
}

function hintsOf({ add, remove, box, brush, clip }: PointRequest): Hints {
  const radius = brush ? brush / 2 : CLICK_RADIUS;
  const stroke = (flat: number[]): Stroke => ({ points: pairs(flat).map((p) => stored(p, clip)), radius });
  return { add: add.map(stroke), remove: remove.map(stroke), ...(box && { box: storedBox(box, clip) }) };
}

const stored = (p: Point, { rotation, width, height }: PointRequest['clip']): Point =>
  toStored(p, rotation, width, height);

function storedBox([x, y, width, height]: readonly number[], clip: PointRequest['clip']): Rect {
  const [a, b] = [stored({ x, y }, clip), stored({ x: x + width, y: y + height }, clip)];
  return { x: Math.min(a.x, b.x), y: Math.min(a.y, b.y), width: Math.abs(a.x - b.x), height: Math.abs(a.y - b.y) };
}

const pairs = (flat: readonly number[]): Point[] =>
  Array.from({ length: flat.length / 2 }, (_, i) => ({ x: flat[2 * i], y: flat[2 * i + 1] }));

function maskOf(path: readonly number[], clip: PointRequest['clip']): MaskPatch {
  const keys = [{ frame: 0, ease: 'linear' as const, points: sharpPoints(path) }];
  return drawnMask({ id: '', name: '', kind: 'path', operation: 'add', keys }, 0, clip);
}
