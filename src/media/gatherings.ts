import { DepthMotion } from '../core/depth/depthMotion.ts';
import { withdrawContradicted } from '../core/fill/distrust.ts';
import type { Statistic } from '../core/fill/fusion.ts';
import { Gatherer, neededRect, union } from '../core/fill/gather.ts';
import { tilesUnseen, type Gathered } from '../core/fill/gathered.ts';
import { areHiddenBriefly } from '../core/fill/mirroredTime.ts';
import { layMirrored, MIRRORED_MARGIN, mirroredViews } from '../core/fill/mirrored.ts';
import type { FleckPictures } from '../core/fill/finish.ts';
import type { FleckSource } from '../core/fill/fleckOffsets.ts';
import { layUnder, type Shown } from '../core/fill/layFlecks.ts';
import { partOf, type Region } from '../core/fill/region.ts';
import { restlessnessOf, restlessPlaces, type Restless } from '../core/fill/restless.ts';
import { partAround, SourceFrames } from '../core/fill/sourceFrames.ts';
import type { FrameReader, Rect } from '../core/image/format.ts';
import { LEAST_TAINT_PX, TAINT_PX, type MatteCells } from '../core/image/matteCells.ts';
import type { CameraMotion } from '../core/motion/cameraMotion.ts';
import type { VisibilityFinder } from '../core/reveal/visibility.ts';
import type { Kernels } from '../kernels/index.ts';
import type { Contradicted, Told } from './engineTasks.ts';
import { seenFrom } from './seenFrom.ts';

/** A region, and the frames from which it is filled. */
export interface SourcedRegion {
  region: Region;
  sources: readonly number[];
}

/** What a shot is filled from. */
interface ShotOfFill {
  frames: FrameReader;
  mattes: FrameReader;
  cells: MatteCells;
  camera: CameraMotion;
  finder: VisibilityFinder;
}

interface HowToGather {
  /** Strength of the light match, 0..1. */
  light: number;
  /** How near to a matte a frame's own px are not trusted, px. */
  taint: number;
  /** Source frames that are kept, bytes. */
  sourceBytes: number;
}

/** Gathers regions from other frames of a shot. */
export class Gatherings {
  constructor(
    private readonly kernels: Kernels,
    private readonly shot: ShotOfFill,
    private readonly how: HowToGather,
  ) {}

  /** A gatherer for regions of frames, on the background's plane or with its depth. */
  with<T>(
    work: readonly SourcedRegion[],
    motion: DepthMotion,
    mattes: FrameReader,
    use: (gatherer: Gatherer) => T,
    { statistic = 'mean', taint = TAINT_PX }: { statistic?: Statistic; taint?: number } = {},
  ): T {
    const { frames } = this.shot;
    const rects = new Map<number, Rect>();
    for (const { region, sources } of work) {
      for (const s of sources) rects.set(s, union(rects.get(s), neededRect(region, s, motion, frames.format)));
    }
    return this.kernels.scoped(() => {
      const sources = new SourceFrames(this.kernels, frames, mattes, rects, this.how.sourceBytes, taint);
      return use(new Gatherer(this.kernels, frames, motion, sources, this.how.light, statistic));
    });
  }

  /**
   * Whether a frame's region tells that some of the background moves by itself.
   * @param restless - Where it seems to do so.
   * @param factor - How many times smaller the frame is than the mattes.
   */
  tellsRestless(region: Region, restless: Restless | undefined, factor = 1): boolean {
    if (!restless?.sure) return false;
    const { cells, finder } = this.shot;
    const places = restlessPlaces(region, restless).map((v) => v * factor);
    return areHiddenBriefly(finder.covered(region.frame), cells, places);
  }

  /**
   * What the sources of a frame contradict one another about, as middles of cells, px of the mattes: as it is, and as in a shot of which
   * some moves by itself.
   *
   * @param factor - How many times smaller the frame is than the mattes.
   */
  contradicted(gathered: Gathered, factor: number): Pick<Contradicted, 'places' | 'ifRestless' | 'restless'> {
    const restless = restlessnessOf(gathered);
    const atFullSize = (places: number[]): number[] => places.map((v) => v * factor);
    const ifRestless = withdrawContradicted({ ...gathered, restless, support: gathered.support.slice() });
    const places = restless ? withdrawContradicted(gathered) : ifRestless;
    return {
      places: atFullSize(places),
      ifRestless: atFullSize(ifRestless),
      restless: this.tellsRestless(gathered.region, restless, factor),
    };
  }

  /**
   * Takes what is restless in a frame, of a shot that has such, from just before and after it is hidden.
   *
   * @param told - What some frames call restless.
   */
  takeMirrored(gathered: Gathered, told: readonly Told[]): void {
    const restless = restlessnessOf(gathered, seenFrom(gathered.region.frame, told, this.shot.camera));
    if (!restless) return;
    gathered.restless = restless;
    const { region } = gathered;
    const { frames, mattes, cells, camera, finder } = this.shot;
    const views = mirroredViews(region, restless.cells, finder.covered(region.frame), cells, camera);
    const rects = new Map(
      views.map(({ frame, places }) => [frame, partAround(places, MIRRORED_MARGIN, frames.format)]),
    );
    this.kernels.scoped(() => {
      // Each is looked at once: no more are kept than there must be.
      const sources = new SourceFrames(this.kernels, frames, mattes, rects, 0, this.how.taint);
      layMirrored(this.kernels, gathered, views, sources, frames.format);
    });
  }

  /** Pictures of a hole from which flecks are taken that pass before it; undefined without any. */
  flecks(region: Region, from: readonly FleckSource[]): FleckPictures | undefined {
    if (from.length === 0) return undefined;
    const motion = new DepthMotion(this.shot.camera);
    const [shown, check] = (['frame', 'check'] as const).map((one) =>
      this.inOrder(
        region,
        from.map((f) => f[one]),
        motion,
      ),
    );
    return { shown, check };
  }

  /** What single frames show of a region, each where those before it do not. */
  private inOrder(region: Region, frames: readonly number[], motion: DepthMotion): Shown {
    const work = [{ region, sources: frames }];
    return this.with(work, motion, this.shot.mattes, (gatherer) => {
      const [first, ...others] = frames;
      const out = gatherer.gather(region, [first]);
      const shown: Shown = out;
      for (const [k, frame] of others.entries()) {
        if (!tilesUnseen(out).includes(1)) break;
        layUnder(shown, gatherer.gather(region, [frame]), k + 1, this.shot.frames.format);
      }
      return shown;
    });
  }

  /** What of a frame is not believed. To a camera that rests nothing slides: there the most frequent is the background. */
  withdrawn(gathered: Gathered): number[] {
    return this.shot.camera.data.tripod ? [] : withdrawContradicted(gathered);
  }

  /** What sources show next to mattes alone of a region. */
  besideMattes(gathered: Gathered, motion: DepthMotion): Gathered | undefined {
    const { region, sources, support } = gathered;
    const part = partOf(region, tilesUnseen(gathered));
    if (!part.active.some((a) => a > 0)) return undefined;
    const [work, taint] = [[{ region: part, sources }], LEAST_TAINT_PX];
    const found = this.with(work, motion, this.shot.mattes, (g) => g.gather(part, sources), { taint });
    return { ...found, support: found.support.map((s, i) => (support[i] > 0 ? 0 : s)) };
  }
}
