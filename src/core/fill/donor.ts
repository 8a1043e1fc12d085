import type { Kernels } from '../../kernels/index.ts';
import type { FrameMap } from '../depth/frameMap.ts';
import type { FrameReader } from '../image/format.ts';
import { bytesOf } from '../image/mapped.ts';
import { LEAST_TAINT_PX } from '../image/matteCells.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import { Gatherer, neededRect } from './gather.ts';
import type { Region } from './region.ts';
import type { Donor } from './settings.ts';
import { SourceFrames } from './sourceFrames.ts';

/** How far away frames are that show a donor where something stands before it in its own frame, the nearer before the farther. */
const ELSEWHERE = [4, 8, 16, 32, 64];

/** Frames in which a frame's donor is looked for: itself, then others of its scene. */
export function donorFrames(camera: CameraMotion, frame: number): number[] {
  const others = ELSEWHERE.flatMap((d) => [frame - d, frame + d]);
  return [frame, ...others.filter((t) => t >= 0 && t < camera.data.count && camera.sameScene(frame, t))];
}

/** From a place of a frame to the donor's, in that frame or another: the offset holds at one frame and moves with the background. */
export function donorMap(camera: CameraMotion, { frame: at, dx, dy }: Donor): FrameMap {
  return {
    surfaces: () => undefined,
    knows: () => true,
    isNearer: () => undefined,
    map(from, to, points) {
      const known = camera.sameScene(from, at) ? at : from;
      camera.map(from, known, points);
      for (let i = 0; i < points.length; i += 2) {
        points[i] += dx;
        points[i + 1] += dy;
      }
      camera.map(known, to, points);
    },
  };
}

/** What a frame shows of a donor, and where it is neither hidden by a matte nor out of view (support above 0). */
export interface Donated {
  planes: readonly Float32Array[];
  support: Float32Array;
}

/** What the donor shows of a region, by frame, until all of the hole is shown: what the first does not show, the next ones may. */
export function gatherDonor(
  kernels: Kernels,
  frames: FrameReader,
  mattes: FrameReader,
  camera: CameraMotion,
  donor: Donor,
  region: Region,
): Donated[] {
  const map = donorMap(camera, donor);
  const missing = bytesOf(region.alpha, (a) => (a > 0 ? 1 : 0));
  const out: Donated[] = [];
  for (const frame of donorFrames(camera, region.frame)) {
    if (!missing.includes(1)) break;
    const rect = neededRect(region, frame, map, frames.format);
    const donated = kernels.scoped(() => {
      // A person sees where it lies: it may come as near to the matte as a draft can tell.
      const source = new SourceFrames(kernels, frames, mattes, new Map([[frame, rect]]), 0, LEAST_TAINT_PX);
      // Its light is matched along the border, where it is joined.
      return new Gatherer(kernels, frames, map, source, 0).gather(region, [frame]);
    });
    let more = false;
    donated.support.forEach((s, i) => {
      if (!(s > 0) || missing[i] === 0) return;
      missing[i] = 0;
      more = true;
    });
    // What shows nothing new is not kept.
    if (more) out.push(donated);
  }
  return out;
}
