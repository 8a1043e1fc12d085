import { cutBody, type BodyLayer } from '../core/behind/cutBody.ts';
import { fitWay, type Beside } from '../core/behind/fitWay.ts';
import { enlarged, type BodyBehind } from '../core/behind/planBehind.ts';
import { DepthMotion } from '../core/depth/depthMotion.ts';
import { makeRegion, TILE } from '../core/fill/region.ts';
import type { Point } from '../core/geometry/homography.ts';
import { around, grow, snap, type FrameReader } from '../core/image/format.ts';
import type { CameraMotion } from '../core/motion/cameraMotion.ts';
import type { Kernels } from '../kernels/index.ts';
import type { Gatherings } from './gatherings.ts';

/** Room around a body, px of the small frames. */
const ROOM = 4;

/** Cuts those who pass behind holes out of the frames that show them. */
export class BehindCutter {
  /** @param factor - Px of the frames per px of the small ones. */
  constructor(
    private readonly kernels: Kernels,
    private readonly frames: FrameReader,
    private readonly mattes: FrameReader,
    private readonly factor: number,
  ) {}

  /** @param beside - The region in which it is to be seen. */
  cut(
    { from, way, body, others }: BodyBehind,
    gathering: Gatherings,
    camera: CameraMotion,
    beside: Beside,
  ): { layer: BodyLayer; way: Point } {
    const { kernels, frames, mattes, factor } = this;
    const rect = snap(enlarged(grow(around(body.mask, body.whole), ROOM), factor), TILE);
    const region = makeRegion(kernels, from, rect, mattes, true);
    const work = [{ region, sources: others }];
    const gathered = gathering.with(work, new DepthMotion(camera), mattes, (g) => g.gather(region, others));
    const layer = cutBody(gathered, frames.format, body, factor);
    return { layer, way: fitWay(layer, { x: way.x * factor, y: way.y * factor }, factor, beside) };
  }
}
