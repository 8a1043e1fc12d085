import { withoutFlicker } from '../core/flicker/relightRows.ts';
import type { Flicker } from '../core/flicker/flicker.ts';
import { rowLightOf, type RowLight } from '../core/flicker/rowLight.ts';
import type { FinishInput } from '../core/fill/finish.ts';
import { readRegionPlane, type Region } from '../core/fill/region.ts';
import type { FrameFormat, FrameReader } from '../core/image/format.ts';
import { CameraMotion, type CameraMotionData } from '../core/motion/cameraMotion.ts';
import type { BlockedAt } from '../core/motion/links.ts';
import { inClip } from '../core/movers/maskPatch.ts';
import type { Kernels } from '../kernels/index.ts';
import { flickerStep } from './flickerWork.ts';
import { RawStore } from './rawStore.ts';
import { SmallerFrames } from './smallerFrames.ts';

/** The stored frames of a work; once it is known how their lamps flicker, as they would be if these did not. */
export class EvenFrames implements FrameReader {
  private readonly store: RawStore;
  private flicker?: Flicker;

  constructor(path: string, format: FrameFormat) {
    this.store = new RawStore(path, format);
  }

  get format(): FrameFormat {
    return this.store.format;
  }

  get count(): number {
    return this.store.count;
  }

  setFlicker(flicker: Flicker): void {
    this.flicker = flicker;
  }

  readRows(frame: number, plane: number, y: number, rows: number, into: Uint8Array): void {
    this.store.readRows(frame, plane, y, rows, into);
    if (this.flicker) withoutFlicker(into, this.flicker, this.format, { frame, plane, y, rows });
  }

  /** How the lamps of a frame flicker, and its own samples with that; undefined if they do not. */
  lampsOf(region: Region): FinishInput['lamps'] {
    const { flicker, store, format } = this;
    if (!flicker) return undefined;
    return { flicker, own: Array.from({ length: format.colourPlanes }, (_, p) => readRegionPlane(store, region, p)) };
  }

  /** Measures the light of some frames' rows. @param blocked - In px of the frames. */
  rowLights(kernels: Kernels, motion: CameraMotionData, frames: readonly number[], blocked: BlockedAt): RowLight[] {
    const factor = flickerStep(this.format);
    const small = new SmallerFrames(kernels, this.store, factor);
    const { width, height } = small.format;
    const camera = new CameraMotion({ ...motion, width, height });
    const isBlocked: BlockedAt = (t, x, y) => blocked(t, inClip(x, factor), inClip(y, factor));
    return frames.map((frame) => rowLightOf(small, camera, frame, isBlocked));
  }

  close(): void {
    this.store.close();
  }
}
