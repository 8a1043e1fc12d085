import type { Kernels } from '../../kernels/index.ts';
import type { FrameMap } from '../depth/frameMap.ts';
import type { FrameReader } from '../image/format.ts';
import { LEAST_TAINT_PX } from '../image/matteCells.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import { Gatherer, neededRect } from './gather.ts';
import type { Region } from './region.ts';
import type { Donor } from './settings.ts';
import { SourceFrames } from './sourceFrames.ts';

/** From a place of a frame to the donor's in the same frame: the offset holds at one frame and moves with the background. */
export function donorMap(camera: CameraMotion, { frame: at, dx, dy }: Donor): FrameMap {
  return {
    surfaces: () => undefined,
    knows: () => true,
    isNearer: () => undefined,
    map(from, _to, points) {
      const known = camera.sameScene(from, at) ? at : from;
      camera.map(from, known, points);
      for (let i = 0; i < points.length; i += 2) {
        points[i] += dx;
        points[i + 1] += dy;
      }
      camera.map(known, from, points);
    },
  };
}

/** What the donor shows of a region, and where it is neither hidden by a matte nor out of view (support above 0). */
export function gatherDonor(
  kernels: Kernels,
  frames: FrameReader,
  mattes: FrameReader,
  camera: CameraMotion,
  donor: Donor,
  region: Region,
): { planes: Float32Array[]; support: Float32Array } {
  const map = donorMap(camera, donor);
  const { frame } = region;
  const rect = neededRect(region, frame, map, frames.format);
  return kernels.scoped(() => {
    // A person sees where it lies: it may come as near to the matte as a draft can tell.
    const source = new SourceFrames(kernels, frames, mattes, new Map([[frame, rect]]), 0, LEAST_TAINT_PX);
    // Its light is matched along the border, where it is joined.
    return new Gatherer(kernels, frames, map, source, 0).gather(region, [frame]);
  });
}
