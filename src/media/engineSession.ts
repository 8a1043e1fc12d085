import { readFileSync } from 'node:fs';
import { deserialize, serialize } from 'node:v8';
import { chooseSources } from '../core/reveal/chooseSources.ts';
import { revealOf, type RevealMap } from '../core/reveal/reveal.ts';
import { VisibilityFinder } from '../core/reveal/visibility.ts';
import { CarriedMotion } from '../core/depth/carriedMotion.ts';
import { DepthMotion } from '../core/depth/depthMotion.ts';
import type { StretchDepth } from '../core/depth/depthPlaces.ts';
import { DepthFinder } from '../core/depth/findDepth.ts';
import { planBehind, type BodyBehind } from '../core/behind/planBehind.ts';
import { isCarriedByDepth } from '../core/fill/carriedPlate.ts';
import { Completer } from '../core/fill/complete.ts';
import { depthHelps } from '../core/fill/depthHelps.ts';
import { gatherDonor } from '../core/fill/donor.ts';
import { Finisher, type Patch } from '../core/fill/finish.ts';
import { withdraw } from '../core/fill/distrust.ts';
import { GrainDrift } from '../core/fill/grainDrift.ts';
import { GrainField } from '../core/fill/grainField.ts';
import type { Gatherer } from '../core/fill/gather.ts';
import type { Gathered } from '../core/fill/gathered.ts';
import { NOT_COMPARED } from '../core/fill/grain.ts';
import { fleckScale } from '../core/fill/flecks.ts';
import { tallyFlecks } from '../core/fill/fleckTally.ts';
import { compareGrain } from '../core/fill/likeness.ts';
import { findSoftening, soften } from '../core/fill/soften.ts';
import { measurableRim, measureRim, type RimResidual } from '../core/fill/measure.ts';
import { relight } from '../core/fill/relight.ts';
import { CELL as OFFSET_CELL } from '../core/fill/offsetGrid.ts';
import { buildPlate, type Plate } from '../core/fill/plate.ts';
import { makeRegion, regionOf, readRegionPlane, TILE, type Region } from '../core/fill/region.ts';
import { isContested } from '../core/fill/contested.ts';
import { restlessnessOf, restlessPlaces } from '../core/fill/restless.ts';
import { stillOf } from '../core/fill/stillPlate.ts';
import { upscalePatch } from '../core/fill/upscale.ts';
import { ENOUGH } from '../core/fill/sourceAgreement.ts';
import type { Flicker } from '../core/flicker/flicker.ts';
import type { RowLight } from '../core/flicker/rowLight.ts';
import type { Fixed, Stays } from '../core/fixed/stays.ts';
import { barsOf, type Bars } from '../core/image/bars.ts';
import { shrunk, snap, type FrameReader, type Rect } from '../core/image/format.ts';
import { boxOf, fillMatteCells, LEAST_TAINT_PX, TAINT_PX } from '../core/image/matteCells.ts';
import type { CarrierMask } from '../core/carrier/carrierMask.ts';
import type { Unlike } from '../core/carrier/goesWith.ts';
import { CameraMotion, type CameraMotionData } from '../core/motion/cameraMotion.ts';
import { CORNERS_ACROSS, FEW_CORNERS_ACROSS, LinkMeter, type Link } from '../core/motion/links.ts';
import type { Mover } from '../core/movers/movers.ts';
import { MoverSearch, type MovingFrame } from '../core/movers/moverSearch.ts';
import type { Explained } from '../core/movers/rigidWorld.ts';
import { Pyramids } from '../core/motion/pyramids.ts';
import { unitSpace } from '../core/motion/space.ts';
import { invert3, multiply3, type Matrix3 } from '../core/geometry/homography.ts';
import type { Kernels } from '../kernels/index.ts';
import { draftFactor } from './decode.ts';
import { EvenFrames } from './evenFrames.ts';
import type {
  CarrierTask,
  CarryTask,
  Contradicted,
  DepthTask,
  ExplainTask,
  RestlessTask,
  Told,
  FinishTask,
  FrameChoice,
  GatherTask,
  GatheredFrame,
  LinkTask,
  MovingAtEndTask,
  MovingTask,
  PlateTask,
  SessionJob,
  SourcedFrame,
  StillTask,
} from './engineTasks.ts';
import { Gatherings, type SourcedRegion } from './gatherings.ts';
import { PYRAMID_SLOTS } from './memoryPlan.ts';
import { readPlate } from './plateFile.ts';
import { carrierOf, probeCarrier } from './sessionCarrier.ts';
import { SessionMattes } from './sessionMattes.ts';
import { BehindCutter } from './behindCutter.ts';
import { SmallerFrames } from './smallerFrames.ts';
import { SOURCES, type SourcesFor } from './sourceBudgets.ts';
import { smallMattesFor } from './smallMattes.ts';
import { packFrame, unpackFrame, type StoredFrame } from './storedFrame.ts';
import { writeWhole } from './writeWhole.ts';

/** By so many 8-bit levels sources of a draft differ where the plane is plainly wrong: finer depth is not seen at that size. */
const DRAFT_TAU = 15;

/** The heavy work of one thread on one job. Each method is a task; all depend on their arguments alone. */
export class EngineSession {
  private readonly frames: EvenFrames;
  private readonly marked: SessionMattes;
  private search?: MoverSearch;
  private motion?: CameraMotion;
  private carrier?: CarrierMask;
  private gatherings?: Gatherings;
  private drift?: GrainDrift;
  private finder?: VisibilityFinder;
  private meter?: LinkMeter;
  private pyramids?: Pyramids;
  private still?: Plate;

  constructor(
    private readonly kernels: Kernels,
    private readonly job: SessionJob,
  ) {
    this.frames = new EvenFrames(job.frames.path, job.frames.format);
    this.marked = new SessionMattes(job, this.frames);
  }

  private get mattes(): FrameReader {
    return this.marked.reader;
  }

  close(): void {
    this.frames.close();
    this.marked.close();
  }

  /** Bars along the sides of the film, px of its frames. */
  findBars(asked: number[]): Bars | undefined {
    return barsOf(this.frames, asked);
  }

  findFixed(motion: CameraMotionData): Fixed | undefined {
    return this.marked.findFixed(this.kernels, motion);
  }

  /** @param stays - In px of the mattes. */
  setStays(stays: Stays): void {
    this.marked.setStays(stays);
    this.gatherings = undefined;
  }

  /** Writes cells, boxes and areas of the mattes of frames first..last-1 into the shared tables. */
  readMattes({ first, last }: { first: number; last: number }): void {
    for (let t = first; t < last; t++) fillMatteCells(this.kernels, this.job.cells, this.mattes, t);
  }

  measureLinks({ pairs, poses, levels }: LinkTask): Link[] {
    const meter = this.linkMeter();
    let last: Matrix3 | undefined;
    return pairs.map(({ from, to }) => {
      const guess = poses ? relativePose(poses, from, to) : last;
      const link = meter.measure(from, to, guess, levels);
      last = link.fit.model === 'none' ? undefined : link.fit.matrix;
      return link;
    });
  }

  probeCarrier(task: CarrierTask): Unlike {
    return probeCarrier(this.kernels, this.pyramidsOfFrames(), this.job, task);
  }

  private linkMeter(): LinkMeter {
    const { width, height } = this.job.frames.format;
    const quick = this.job.draft !== undefined || this.job.mattes.format.width !== width;
    const across = quick ? FEW_CORNERS_ACROSS : CORNERS_ACROSS;
    const make = (): LinkMeter =>
      new LinkMeter(this.kernels, this.pyramidsOfFrames(), unitSpace(width, height), this.marked.blocked.has, across);
    return (this.meter ??= make());
  }

  private pyramidsOfFrames(): Pyramids {
    return (this.pyramids ??= new Pyramids(this.kernels, this.frames, PYRAMID_SLOTS));
  }

  /** What moves against the background in some frames. */
  findMoving({ frames, shades }: MovingTask): MovingFrame[] {
    return frames.map((frame) => this.moverSearch().movingIn(frame, shades));
  }

  /** As {@link findMoving}, of one of the runs that `endRuns` tells. */
  findMovingAtEnd({ frames, shades, known }: MovingAtEndTask): MovingFrame[] {
    return this.moverSearch().movingAtEnd(frames, shades, known);
  }

  /** What moves, from what does in each frame. */
  linkMovers(moving: MovingFrame[]): Mover[] {
    return this.moverSearch().link(moving);
  }

  /** What a rigid world says of movers. */
  explainMovers({ frame, masks }: ExplainTask): (Explained | undefined)[] {
    return this.moverSearch().explain(frame, masks);
  }

  private moverSearch(): MoverSearch {
    const { frames, motion } = this.searched();
    const stays = this.marked.staysIn(frames.format);
    return (this.search ??= new MoverSearch(this.kernels, frames, motion, stays));
  }

  /** The frames in which movers are searched for, and how the camera moves in them. */
  private searched(): { frames: FrameReader; motion: CameraMotion } {
    const factor = this.job.searchFactor;
    if (factor === undefined) return { frames: this.frames, motion: this.motion! };
    const frames = new SmallerFrames(this.kernels, this.frames, factor);
    const { width, height } = frames.format;
    return { frames, motion: new CameraMotion({ ...this.motion!.data, width, height }) };
  }

  /** Who passes behind the holes. @param moving - Of every frame. */
  planBehind({ moving, restless }: { moving: MovingFrame[]; restless: boolean }): BodyBehind[] {
    const { frames, motion } = this.searched();
    const mattes = smallMattesFor(this.mattes, frames.format, this.job.searchFactor ?? 1);
    return planBehind(moving, frames, mattes, motion, restless);
  }

  setMotion(data: CameraMotionData): void {
    this.motion = new CameraMotion(data);
    this.drift = new GrainDrift(this.motion);
    this.finder = new VisibilityFinder(this.kernels, this.motion, this.job.cells, this.job.settings.reach);
    this.carrier = carrierOf(this.frames, this.job, this.motion);
    this.gatherings = undefined;
  }

  measureFlicker(frames: number[]): RowLight[] {
    return this.frames.rowLights(this.kernels, this.motion!.data, frames, this.marked.blocked.has);
  }

  /** What was seen in flickering light is forgotten. */
  setFlicker(flicker: Flicker): void {
    this.frames.setFlicker(flicker);
    this.pyramids?.forget();
    this.gatherings = undefined;
  }

  private gathering(): Gatherings {
    const { settings, cells, sourceBytes } = this.job;
    const shot = { frames: this.frames, mattes: this.mattes, cells, camera: this.motion!, finder: this.finder! };
    const how = { light: settings.light / 100, taint: this.taint, sourceBytes };
    return (this.gatherings ??= new Gatherings(this.kernels, shot, how));
  }

  /** Reveal of frames first..last-1. */
  reveal({ first, last }: { first: number; last: number }): RevealMap[] {
    const out: RevealMap[] = [];
    for (let t = first; t < last; t++) out.push(revealOf(this.finder!.find(t), this.job.cells));
    return out;
  }

  /** Reveal of frames first..last-1, and the sources to fill each from. */
  choose({ first, last, of = 'plain' }: { first: number; last: number; of?: SourcesFor }): FrameChoice[] {
    const out: FrameChoice[] = [];
    const budget = SOURCES[this.job.draft ? 'draft' : 'full'][of];
    for (let t = first; t < last; t++) {
      const visibility = this.finder!.find(t);
      const thin = visibility.cells.length > 1500 ? this.finder!.find(t, 2) : visibility;
      out.push({
        reveal: revealOf(visibility, this.job.cells),
        sources: chooseSources(thin, budget),
      });
    }
    return out;
  }

  /** Whether the background of a frame is restless for sure, and whether sources are at odds about it. */
  probeSources({ frame, sources }: SourcedFrame): { restless: boolean; contested: boolean } {
    const work = this.workOn([{ frame, sources }]);
    const [{ region }] = work;
    const gathered = this.gatheredBy(work, []);
    const restless = this.gathering().tellsRestless(region, restlessnessOf(gathered));
    return { restless, contested: isContested(gathered) };
  }

  /** What of a frame is restless, as far as its own rim tells. */
  tellRestless({ frame, sources, depths }: RestlessTask): Told {
    const work = this.workOn([{ frame, sources }]);
    const [{ region }] = work;
    const restless = restlessnessOf(this.gatheredBy(work, depths));
    return { frame, places: restless ? restlessPlaces(region, restless) : [] };
  }

  /** Whether what surrounds the hole of a frame is explained by depths, and not by the camera's plane. */
  probeDepth({ frame, sources }: SourcedFrame): boolean {
    const work = this.workOn([{ frame, sources }]);
    const [{ region }] = work;
    const plain = this.gatheredBy(work, []);
    if (this.job.draft && plain.tau < DRAFT_TAU * this.unit) return false;
    const depth = this.depthFinder().find(region, sources);
    return depth !== undefined && depthHelps(plain, this.gatheredBy(work, [depth]));
  }

  /** The region of one frame, gathered from its sources. */
  private gatheredBy(work: readonly SourcedRegion[], depths: readonly StretchDepth[]): Gathered {
    const [{ region, sources }] = work;
    return this.gathering().with(work, this.motionFor(work, depths), this.mattes, (g) => g.gather(region, sources));
  }

  /** What lies nearer or farther than the camera's plane around the holes of some frames, measured in one of them. */
  findDepth({ frames, key, also }: DepthTask): StretchDepth | undefined {
    return this.depthFinder().findStretch(this.workOn(frames), key, also);
  }

  /** Sample units per 8-bit level. */
  private get unit(): number {
    return 2 ** (this.job.frames.format.depth - 8);
  }

  private depthFinder(): DepthFinder {
    return new DepthFinder(this.kernels, this.motion!, this.pyramidsOfFrames(), this.marked.blocked, this.unit);
  }

  /** How near to the matte a frame's own px are not trusted, px. */
  private get taint(): number {
    return this.job.draft ? LEAST_TAINT_PX : TAINT_PX;
  }

  private regionAt(frame: number, box: Rect): Region {
    const region = regionOf(this.kernels, frame, box, this.mattes, this.taint);
    this.carrier?.keep(region);
    return region;
  }

  /** The regions of those frames that have a hole. */
  private workOn(frames: readonly SourcedFrame[]): SourcedRegion[] {
    return frames.flatMap(({ frame, sources }) => {
      const box = boxOf(this.job.cells, frame);
      return box.width > 0 ? [{ region: this.regionAt(frame, box), sources }] : [];
    });
  }

  /** What the sources of some frames contradict one another about, judged at a draft's size for full-size mattes. */
  contradict({ frames }: { frames: number[] }): Contradicted[] {
    const { format } = this.job.frames;
    const { format: full } = this.mattes;
    const factor = draftFactor(full.width, full.height);
    const mattes = smallMattesFor(this.mattes, format, factor);
    const motion = new CameraMotion({ ...this.motion!.data, width: format.width, height: format.height });
    const work = frames.map((frame) => ({
      region: regionOf(this.kernels, frame, shrunk(boxOf(this.job.cells, frame), factor), mattes),
      sources: chooseSources(this.finder!.find(frame), SOURCES.draft.plain),
    }));
    const side = OFFSET_CELL * factor;
    return this.gathering().with(work, new DepthMotion(motion), mattes, (gatherer) =>
      work.map(({ region, sources }) => ({
        frame: region.frame,
        side,
        ...this.gathering().contradicted(gatherer.gather(region, sources), factor),
      })),
    );
  }

  gather({ frames, restless, depths, out }: GatherTask): GatheredFrame[] {
    const work = this.workOn(frames);
    const stored: StoredFrame[] = [];
    let before: RimResidual | undefined;
    const { format } = this.job.frames;
    const fine = !this.job.draft;
    const results = this.gathering().with(work, this.motionFor(work, depths), this.mattes, (gatherer) =>
      work.map(({ region, sources }, k) => {
        const shown = gatherer.gather(region, sources);
        if (restless) this.gathering().takeMirrored(shown, restless);
        const contradicted = this.gathering().withdrawn(shown);
        const softening = fine && !this.carrier ? findSoftening(this.kernels, shown, format) : undefined;
        const { gathered, lit } = this.relit(softening ? soften(this.kernels, shown, format, softening) : shown);
        stored.push(packFrame(this.kernels, gathered, format));
        const { measure, residual } = measureRim(this.kernels, gathered, format, fine, lit, fine && !this.carrier);
        const follows =
          before?.region.frame === region.frame - 1 && this.motion!.sameScene(region.frame - 1, region.frame);
        const likeness = follows && fine ? compareGrain(residual, before!, this.motion!) : NOT_COMPARED;
        const asked = follows && k === 1;
        const flecks = asked ? tallyFlecks(residual, before!, this.motion!, fleckScale(format)) : undefined;
        before = residual;
        return {
          frame: region.frame,
          region: { frame: region.frame, rect: region.rect },
          measure: { ...measure, softening, likeness, flecks },
          contradicted,
        };
      }),
    );
    writeWhole(out, serialize(stored));
    return results;
  }

  /** A gathered picture in its frame's light, where that has changed in a part of it. */
  private relit(gathered: Gathered): { gathered: Gathered; lit?: Uint8Array } {
    const { light } = this.job.settings;
    if (light === 0) return { gathered };
    const { format } = this.job.frames;
    return relight(this.kernels, gathered, measurableRim(gathered, format), format, light / 100) ?? { gathered };
  }

  /** What the shot shows of a whole frame. */
  buildStill({ frame, sources, statistic }: StillTask): Plate {
    const { format } = this.job.frames;
    const whole = snap({ x: 0, y: 0, width: format.width, height: format.height }, TILE);
    const region = makeRegion(this.kernels, frame, whole, this.mattes, true);
    const work = [{ region, sources }];
    const see = (g: Gatherer): Plate => stillOf(g.gather(region, sources), format);
    return this.gathering().with(work, new DepthMotion(this.motion!), this.mattes, see, { statistic });
  }

  private motionFor(work: readonly SourcedRegion[], depths: readonly StretchDepth[]): DepthMotion {
    const motion = new DepthMotion(this.motion!, depths);
    for (const { region } of work) motion.lay(region);
    return motion;
  }

  /** Completes what no frame shows, in one frame. */
  buildPlate({ frame, rect, sources, local, restless, contradicted }: PlateTask): Plate {
    const { format } = this.job.frames;
    const region = makeRegion(this.kernels, frame, rect, this.mattes, true, this.taint);
    const work = [{ region, sources }];
    const depth = local && this.depthFinder().find(region, sources);
    const motion = this.motionFor(work, depth ? [depth] : []);
    const gathered = this.gathering().with(work, motion, this.mattes, (g) => g.gather(region, sources));
    if (restless) this.gathering().takeMirrored(gathered, restless);
    const beside = this.carrier ? undefined : this.gathering().besideMattes(gathered, motion);
    this.carrier?.believe(region, gathered.support);
    this.gathering().withdrawn(gathered);
    withdraw(region, gathered.support, contradicted);
    return buildPlate(this.kernels, gathered, format, this.job.settings.seed, beside);
  }

  carriedByDepth({ plate, depths, frames }: CarryTask): boolean {
    const own = this.workOn(frames.map((frame) => ({ frame, sources: [] }))).map(({ region }) => ({
      region,
      luma: readRegionPlane(this.frames, region, 0),
    }));
    const motion = new CarriedMotion(this.motion!, depths);
    return isCarriedByDepth(this.kernels, plate, own, motion, this.job.frames.format);
  }

  finish({
    gathered,
    frames,
    plates,
    depths,
    grain,
    stillness,
    out,
  }: FinishTask): { frame: number; hole: number; unseen: number }[] {
    const { settings, draft } = this.job;
    const { format } = this.job.frames;
    const finisher = new Finisher(
      this.kernels,
      this.motion!,
      format,
      new Completer(
        this.kernels,
        new CarriedMotion(this.motion!, depths),
        format,
        { texture: plates, still: this.stillPlate() },
        settings.sources,
        settings.light / 100,
      ),
      { models: grain, field: new GrainField(this.kernels, this.drift!, format, stillness, settings.seed) },
      settings.light / 100,
    );
    const stored = new Map((deserialize(readFileSync(gathered)) as StoredFrame[]).map((f) => [f.frame, f]));
    const cutter = new BehindCutter(this.kernels, this.frames, this.mattes, this.job.searchFactor ?? 1);
    const patches: Patch[] = frames.map((task) => {
      const { frame, softening, transfer, grainShares, neighbours, contradicted, behind, flecks } = task;
      const region = this.regionAt(frame, boxOf(this.job.cells, frame));
      const { restless, ...packed } = stored.get(frame)!;
      const { planes, support } = unpackFrame(packed, region, format);
      withdraw(region, support, contradicted, ENOUGH);
      const own = planes.map((_, p) => readRegionPlane(this.frames, region, p));
      const beside = { region, own: own[0], background: planes[0] };
      const bodies = cutter.cutAll(behind, this.gathering(), this.motion!, beside);
      const lamps = this.frames.lampsOf(region);
      const shown = { region, planes, support, own, softening, transfer, restless, lamps };
      const extra = { donor: this.donorOf(region), behind: bodies, flecks: this.gathering().flecks(region, flecks) };
      const patch = finisher.finish({ ...shown, grainShares, ...extra }, neighbours);
      const whole = draft ? upscalePatch(this.kernels, patch, region.alpha, draft.format, draft.factor) : patch;
      return this.marked.withStays(whole);
    });
    writeWhole(out, serialize(patches));
    return patches.map(({ frame, hole, unseen }) => ({ frame, hole, unseen }));
  }

  private stillPlate(): Plate | undefined {
    const { sources, plate } = this.job.settings;
    if (!plate || !sources.includes('plate')) return undefined;
    return (this.still ??= { ...readPlate(plate.path), frame: plate.frame });
  }

  private donorOf(region: Region): ReturnType<typeof gatherDonor> | undefined {
    const { sources, donor } = this.job.settings;
    if (!donor || !sources.includes('donor')) return undefined;
    // Its offset is in px of the clip.
    const factor = this.job.draft?.factor ?? 1;
    const small = { ...donor, dx: donor.dx / factor, dy: donor.dy / factor };
    return gatherDonor(this.kernels, this.frames, this.mattes, this.motion!, small, region);
  }
}

function relativePose(poses: Matrix3[], from: number, to: number): Matrix3 {
  return multiply3(invert3(poses[to]), poses[from]);
}
