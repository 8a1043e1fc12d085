import { enlarged, type Matrix3 } from '../core/geometry/homography.ts';
import type { Rect } from '../core/image/format.ts';
import { evidenceOf } from '../core/movers/evidence.ts';
import { FrameLayer } from '../core/movers/layFrames.ts';
import { CameraMotion, type CameraMotionData } from '../core/motion/cameraMotion.ts';
import { motionCue, type MotionCue } from '../core/outline/motionCue.ts';
import type { Kernels } from '../kernels/index.ts';
import { RawStore } from './rawStore.ts';
import type { SmallFrames } from './smallFrames.ts';

/** Small frames that are held: a frame is compared with others up to 48 frames away. */
const SLOTS = 100;

/** Tells what moves in the frames of a shot, from its small frames and the camera's motion. */
export class MotionCues {
  private readonly store: RawStore;
  private readonly motion: CameraMotion;
  private readonly layer: FrameLayer;

  /** @param camera - In px of the small frames. */
  constructor(
    private readonly kernels: Kernels,
    private readonly small: Pick<SmallFrames, 'path' | 'format' | 'factor'>,
    camera: CameraMotionData,
  ) {
    this.store = new RawStore(small.path, small.format);
    this.motion = new CameraMotion(camera);
    this.layer = new FrameLayer(kernels, this.store, this.motion, SLOTS);
  }

  /** @param part - Where it is wanted, px of the frame; else everywhere. */
  at(frame: number, part?: Rect): MotionCue {
    const evidence = evidenceOf(this.kernels, this.layer, frame, this.store.count);
    return motionCue(evidence, this.small.format, this.small.factor, part);
  }

  /** Where the background of a frame lies in another, px of the frame; undefined if they are of two scenes. */
  backgroundTo(from: number, to: number): Matrix3 | undefined {
    const { factor } = this.small;
    return this.motion.sameScene(from, to) ? enlarged(this.motion.plane(from, to), factor) : undefined;
  }

  close(): void {
    this.store.close();
  }
}
