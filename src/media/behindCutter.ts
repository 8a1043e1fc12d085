import { cutBody, type BodyLayer } from '../core/behind/cutBody.ts';
import { fitWay, hideBehind, type Beside } from '../core/behind/fitWay.ts';
import { enlarged, type BodyBehind } from '../core/behind/planBehind.ts';
import { enlargedTurn, inverse, turnedLayer, turnedRect } from '../core/behind/turn.ts';
import { DepthMotion } from '../core/depth/depthMotion.ts';
import { makeRegion, TILE, type Region } from '../core/fill/region.ts';
import type { Point } from '../core/geometry/homography.ts';
import { around, grow, intersect, snap, type FrameReader, type Rect } from '../core/image/format.ts';
import type { CameraMotion } from '../core/motion/cameraMotion.ts';
import type { Kernels } from '../kernels/index.ts';
import type { Gatherings } from './gatherings.ts';

/** Room around a body, px of the small frames. */
const ROOM = 4;
/** Room around what is wanted of it, in which its place is searched for, px of the small frames. */
const MARGIN = 2;

/** Cuts those who pass behind holes out of the frames that show them. */
export class BehindCutter {
  /** @param factor - Px of the frames per px of the small ones. */
  constructor(
    private readonly kernels: Kernels,
    private readonly frames: FrameReader,
    private readonly mattes: FrameReader,
    private readonly factor: number,
  ) {}

  /** Those who are to be seen in a region, the farthest first; without those who the frame shows are not there. */
  cutAll(
    bodies: readonly BodyBehind[],
    gathering: Gatherings,
    camera: CameraMotion,
    { region, own, background }: Omit<Beside, 'known' | 'region'> & { region: Region },
  ): { layer: BodyLayer; way: Point }[] {
    const { factor } = this;
    const beside = { region, own, background, known: region.known.slice() };
    const out: { layer: BodyLayer; way: Point }[] = [];
    // Whoever is nearer hides the others beside the hole, too.
    for (const body of [...bodies].reverse()) {
      const expected = { x: body.way.x * factor, y: body.way.y * factor };
      const turn = body.turn && enlargedTurn(body.turn, factor);
      const wanted = shifted(region.rect, expected);
      const cut = this.cut(body, turn ? turnedRect(wanted, inverse(turn)) : wanted, gathering, camera);
      const layer = cut && turn ? turnedLayer(cut, turn, this.frames.format) : cut;
      const way = layer && fitWay(layer, expected, factor, beside);
      if (!layer || !way) continue;
      hideBehind(layer, way, beside);
      out.unshift({ layer, way });
    }
    return out;
  }

  /** @param wanted - The part of its frame that is wanted. @returns undefined if it is not in that. */
  private cut(
    { from, body, others }: BodyBehind,
    wanted: Rect,
    gathering: Gatherings,
    camera: CameraMotion,
  ): BodyLayer | undefined {
    const { kernels, frames, mattes, factor } = this;
    const whole = enlarged(grow(around(body.mask, body.whole), ROOM), factor);
    const part = intersect(whole, grow(wanted, MARGIN * factor));
    if (part.width === 0 || part.height === 0) return undefined;
    const region = makeRegion(kernels, from, snap(part, TILE), mattes, true);
    const work = [{ region, sources: others }];
    const gathered = gathering.with(work, new DepthMotion(camera), mattes, (g) => g.gather(region, others));
    return cutBody(gathered, frames.format, body, factor);
  }
}

/** Where what is to be seen in a rectangle comes from. */
const shifted = (rect: Rect, way: Point): Rect => ({
  ...rect,
  x: rect.x - Math.round(way.x),
  y: rect.y - Math.round(way.y),
});
