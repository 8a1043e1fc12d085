import { mkdir } from 'node:fs/promises';
import { join } from 'node:path';
import type { StretchDepth } from '../core/depth/depthPlaces.ts';
import { evenly } from '../core/evenly.ts';
import { fleckOffsetsOf, fleckSources } from '../core/fill/fleckOffsets.ts';
import { stillness } from '../core/fill/grain.ts';
import { shotGrain } from '../core/fill/shotGrain.ts';
import type { Statistic } from '../core/fill/fusion.ts';
import type { Plate } from '../core/fill/plate.ts';
import type { FillSettings, SourceKind } from '../core/fill/settings.ts';
import { frameBytes, maxSample, type FrameFormat } from '../core/image/format.ts';
import type { Stays } from '../core/fixed/stays.ts';
import { boxOf, cellsUnder, createMatteCells, type MatteCells } from '../core/image/matteCells.ts';
import { CameraMotion, type CameraMotionData } from '../core/motion/cameraMotion.ts';
import { bestAnchor, regrade, type FrameReveal, type RevealMap } from '../core/reveal/reveal.ts';
import { donorShows, plateShows, withOwnSources, type ShowsAt } from '../core/reveal/ownSources.ts';
import { VisibilityFinder } from '../core/reveal/visibility.ts';
import type {
  FinishTask,
  FrameChoice,
  GatheredFrame,
  PlateTask,
  SessionJob,
  SourcedFrame,
  Told,
} from './engineTasks.ts';
import { FEW_LINKS, LONG_LINKS, measureCamera, stillMotion } from './cameraWork.ts';
import { findCarrier } from './carrierWork.ts';
import { findBehind } from './behindWork.ts';
import { evenLight } from './flickerWork.ts';
import type { BodyBehind } from '../core/behind/planBehind.ts';
import { joined, middleOf, sourced } from './frameChunks.ts';
import { MattesWork } from './mattesWork.ts';
import { loadKernels } from './kernelFile.ts';
import { memoryCeiling, memoryPlan } from './memoryPlan.ts';
import { readPlate, type StoredPlate } from './plateFile.ts';
import { carriedPlates } from './carriedPlates.ts';
import { planPlates } from './planPlates.ts';
import { areSome, PROBES } from './probes.ts';
import { contradictedOf, seenFrom } from './seenFrom.ts';
import { partsAlone, SharedParts, type Part, type Parts } from './parts.ts';
import { CHUNK } from './takeFiles.ts';
import { EngineThreads, inStretches, threadsFor } from './threads.ts';

/** A stage of the work, in words for people, and how much of it is done (0..1). */
export interface Progress {
  stage: 'mattes' | 'motion' | 'reveal' | 'gather' | 'behind' | 'unseen' | 'finish';
  done: number;
}

export interface WorkOptions {
  /** May be smaller than the mattes for a reveal, which looks at the frames for their motion alone. */
  frames: { path: string; format: FrameFormat };
  mattes: { path: string; format: FrameFormat };
  count: number;
  /** Frames that alone are filled (with those of their chunks), inclusive; all serve as sources. */
  only?: { first: number; last: number };
  /**
   * Results of stages and finished chunks are kept here: what is there is not computed again, and whoever else works on the same
   * take in the same folder does a part of it. A reveal and a plate need none.
   */
  folder?: string;
  settings: FillSettings;
  /** All cores; fewer where the memory ceiling does not allow as many. */
  threads?: number;
  draft?: SessionJob['draft'];
  signal?: AbortSignal;
  onProgress?: (progress: Progress) => void;
}

export interface RevealResult {
  /** What of the film is left alone. Px of the mattes. */
  stays: Stays;
  /** The camera's. */
  motion: CameraMotionData;
  /** Something that moves carries what goes away, and is followed instead of the background. */
  carried: boolean;
  reveal: RevealMap[];
  /** Side of a cell of the maps, px, and their size in cells. */
  cell: number;
  cols: number;
  rows: number;
  /** Where completing the unseen serves the most, and how many cells of how many frames looked at. */
  best: { frame: number; served: number; of: number } | undefined;
}

export interface TakeResult {
  /** As of {@link RevealResult}. */
  stays: Stays;
  motion: CameraMotionData;
  carried: boolean;
  reveal: FrameReveal[];
  /** Per frame with a hole: its px, and those that no frame showed. */
  frames: { frame: number; hole: number; unseen: number }[];
  plates: number;
}

/** From which frames a plate is made, and how. */
export interface StillWanted {
  /** The one whose place and light it has. */
  frame: number;
  /** Inclusive. */
  first: number;
  last: number;
  statistic: Statistic;
}

/** Frames that a plate is made of: as many as fit into so many bytes, within limits. */
const STILL_BUDGET = 180 << 20;
const [FEWEST_STILL, MOST_STILL] = [5, 25];

/** Frames whose reveal is a part of the work. */
const RANGE = 16;
/** Every so-manieth frame is asked what its sources contradict one another about, for the others' sake. */
const ASKED_EVERY = 5;
/** Of so many chunks one has a frame that a reveal asks, some in one go, and so far away in time its answer counts. */
const ASKED_CHUNKS = 2;
const ASKED_TOGETHER = 4;
const BELIEVED_FROM = 24;

/** Longer side at most of the frames in which it is searched for who passes behind holes, px. */
const SEARCH_LONG_SIDE = 400;

/** Chunks of a draft whose depths are found together. */
const DRAFT_STRETCH = 4;

/** What a shot is like. */
interface Nature {
  /** It shows depth. */
  local: boolean;
  /** Some of its background moves by itself. */
  restless: boolean;
}

/** Frames first..last-1. */
interface Range {
  first: number;
  last: number;
}

/** Work on one matte over one stretch of footage: reveal alone, or the whole fill. */
export class TakeWork {
  private readonly threads: EngineThreads;
  private readonly cells: MatteCells;
  private readonly job: SessionJob;
  private readonly parts: Parts;
  private readonly mattes: MattesWork;
  /** Known once the motion has been solved. */
  private camera?: CameraMotion;

  constructor(private readonly options: WorkOptions) {
    const { width, height } = options.mattes.format;
    const { frames, count, mattes, settings, draft } = options;
    this.cells = createMatteCells(width, height, count);
    const wanted = options.threads ?? threadsFor(frames.format, count);
    const plan = memoryPlan(frames.format, wanted, memoryCeiling());
    const searchFactor = Math.ceil(Math.max(frames.format.width, frames.format.height) / SEARCH_LONG_SIDE);
    this.job = { frames, mattes, settings, draft, cells: this.cells, searchFactor, sourceBytes: plan.sources };
    this.threads = new EngineThreads(this.job, plan.threads, options.signal);
    const { folder, signal } = options;
    this.parts = folder === undefined ? partsAlone : new SharedParts(folder, plan.threads + 1, signal);
    const onProgress = (done: number): void => this.report('mattes', done);
    const sizes = { count, frames: frames.format, mattes: mattes.format };
    this.mattes = new MattesWork(this.threads, this.parts, { ...sizes, onProgress });
  }

  async close(): Promise<void> {
    await this.threads.stop();
  }

  /** The camera's motion, as a full take measures it. */
  async cameraMotion(): Promise<CameraMotionData> {
    await this.mattes.read();
    return this.solveMotion(LONG_LINKS, true);
  }

  /** How much of each frame's hole the shot shows elsewhere. */
  async reveal(): Promise<RevealResult> {
    await this.mattes.read();
    const camera = await this.solveMotion(FEW_LINKS);
    const motion = await this.followed(camera);
    const reveal = await this.inRanges('reveal', (range) => this.threads.run('reveal', range));
    const { sources } = this.options.settings;
    // To a camera that rests nothing slides: there is nothing to ask.
    if (sources.includes('frames') && !motion.tripod) await this.takeBackContradicted(reveal);
    const shows = this.ownSources();
    for (const r of reveal) withOwnSources(r, this.cells, sources, shows);
    const { cell, cols, rows } = this.cells;
    const maps = reveal.map((r) => (r.unseen > 0 ? r.map : undefined));
    const best = maps.some(Boolean) ? bestAnchor(maps, this.cells, await this.finder(motion)) : undefined;
    return { stays: this.mattes.stays, motion: camera, carried: motion !== camera, reveal, cell, cols, rows, best };
  }

  /** What a removal's plate and its donor show, at the size of the mattes. */
  private ownSources(): Partial<Record<SourceKind, ShowsAt>> {
    const { sources, plate, donor } = this.options.settings;
    return {
      ...(plate &&
        sources.includes('plate') && {
          plate: plateShows(this.camera!, { ...readPlate(plate.path), frame: plate.frame }),
        }),
      ...(donor && { donor: donorShows(this.camera!, donor, this.cells) }),
    };
  }

  /** Not all that is free of mattes is the background: what sources contradict one another about counts as never seen. */
  private async takeBackContradicted(reveal: RevealMap[]): Promise<void> {
    const asked = this.chunks()
      .map(([, frames]) => middleOf(frames))
      .filter((_, k) => k % ASKED_CHUNKS === 0);
    const answers = await inStretches(
      asked.length,
      ASKED_TOGETHER,
      ({ first, last }) => this.threads.run('contradict', { frames: asked.slice(first, last) }),
      (done) => this.report('gather', done),
    );
    const restless = areSome(answers.filter((a) => a.restless).length, asked.length);
    for (const r of reveal) {
      for (const { frame, places, ifRestless, side } of answers) {
        if (Math.abs(frame - r.frame) > BELIEVED_FROM || !this.camera!.sameScene(frame, r.frame)) continue;
        const here = Float64Array.from(restless ? ifRestless : places);
        this.camera!.map(frame, r.frame, here);
        regrade(r, cellsUnder(this.cells, here, side), 'unseen', this.cells.cell);
      }
    }
  }

  /** A plate: what the frames first..last show of a whole frame, in its light. */
  async still({ frame, first, last, statistic }: StillWanted): Promise<StoredPlate> {
    await this.mattes.read();
    const motion = await this.solveMotion(FEW_LINKS, true);
    const finder = await this.finder(motion);
    const all = Array.from({ length: last - first + 1 }, (_, k) => first + k).filter((s) => finder.sameScene(s, frame));
    const most = Math.floor(STILL_BUDGET / frameBytes(this.options.frames.format));
    const sources = evenly(all, Math.max(FEWEST_STILL, Math.min(MOST_STILL, most)));
    const { rect, planes, known } = await this.threads.run('buildStill', { frame, sources, statistic });
    return { rect, planes, known };
  }

  private async finder(motion: CameraMotionData): Promise<VisibilityFinder> {
    const kernels = await loadKernels(256 << 20);
    return new VisibilityFinder(kernels, new CameraMotion(motion), this.cells, this.options.settings.reach);
  }

  /** Computes the take; the finished patches lie in the folder, see `takeFiles.ts`. */
  async fill(): Promise<TakeResult> {
    await mkdir(this.folder, { recursive: true });
    await this.mattes.read();
    const camera = await this.solveMotion(this.options.draft ? FEW_LINKS : LONG_LINKS);
    const motion = await this.followed(camera);
    const carried = motion !== camera;
    await evenLight(this.threads, this.parts, this.options.count, this.options.frames.format);
    const first = await this.inRanges('reveal', (range) => this.threads.run('choose', range));
    const local = await this.once('depth-helps', () => this.probeDepth(first, motion));
    const { contested } = carried ? { contested: false } : await this.once('contested', () => this.probeSources(first));
    const many = local || contested ? await this.chooseMany(local ? 'depth' : 'crowd') : first;
    // Of water many sources show as many things as few do; people who pass are outvoted.
    const { restless } = contested ? await this.once('restless', () => this.probeSources(many)) : { restless: false };
    const choices = restless && !local ? first : many;
    // Beside what carries a hole everything else seems to pass.
    const othersPass = this.options.settings.sources.includes('frames') && !carried;
    const { gathered, depths, told } = await this.gather(choices, { local, restless });
    const onProgress = (done: number): void => this.report('behind', done);
    const grounds = { count: this.options.count, motion, restless, onProgress };
    const behind = othersPass ? await this.once('behind', () => findBehind(this.threads, gathered, grounds)) : [];
    const made = await this.buildPlates(choices, gathered, motion, { local, restless: told });
    const by = { threads: this.threads, parts: this.parts, camera: this.camera! };
    const plates = await carriedPlates(by, made, depths, gathered);
    // What is taken from mirrored time has its flecks.
    const asked = restless || !othersPass ? [] : gathered;
    const flecks = fleckOffsetsOf(this.cells, this.camera!, asked);
    const frames = await this.finish(gathered, { plates, depths }, { behind, flecks });
    const reveal = choices.map(({ reveal: { map: _, ...rest } }) => rest);
    return { stays: this.mattes.stays, motion: camera, carried, reveal, frames, plates: plates.length };
  }

  private report(stage: Progress['stage'], done: number): void {
    this.options.onProgress?.({ stage, done });
  }

  private get folder(): string {
    if (this.options.folder === undefined) throw new Error('A take needs a folder.');
    return this.options.folder;
  }

  private path(name: string): string {
    return join(this.folder, name);
  }

  /** What one of those who work on the take computes for all. */
  private async once<T>(name: string, compute: () => Promise<T>): Promise<T> {
    const [result] = await this.parts.all([{ name, compute }]);
    return result;
  }

  /** Sources once it is known that there is depth. */
  private async chooseMany(of: 'depth' | 'crowd'): Promise<FrameChoice[]> {
    const parts = this.ranges(`${of}-reveal`, (range) => this.threads.run('choose', { ...range, of }));
    return (await this.parts.all(parts)).flat();
  }

  private async inRanges<T>(stage: Progress['stage'], work: (range: Range) => Promise<T[]>): Promise<T[]> {
    const parts = this.ranges(stage, work);
    let done = 0;
    return (await this.parts.all(parts, () => this.report(stage, ++done / parts.length))).flat();
  }

  private ranges<T>(name: string, work: (range: Range) => Promise<T[]>): Part<T[]>[] {
    const { count } = this.options;
    return Array.from({ length: Math.ceil(count / RANGE) }, (_, k) => ({
      name: `${name}-${k * RANGE}`,
      compute: () => work({ first: k * RANGE, last: Math.min(count, (k + 1) * RANGE) }),
    }));
  }

  /** @param always - Even if nothing is marked. */
  private async solveMotion(distances: readonly number[], always = false): Promise<CameraMotionData> {
    const motion =
      always || this.cells.area.some((a) => a > 0)
        ? await this.measureMotion(distances)
        : stillMotion(this.options.mattes.format, this.options.count);
    await this.mattes.settle(motion);
    return this.follow(motion);
  }

  private async follow(motion: CameraMotionData): Promise<CameraMotionData> {
    await this.threads.all('setMotion', motion);
    this.camera = new CameraMotion(motion);
    return motion;
  }

  /** The motion by which a hole is filled: the camera's, or that of what carries what goes away. */
  private async followed(motion: CameraMotionData): Promise<CameraMotionData> {
    // A plate shows the background.
    if (this.options.settings.sources.includes('plate')) return motion;
    const carrier = await this.once('carrier', () => findCarrier(this.threads, this.cells, motion));
    return carrier ? this.follow(carrier) : motion;
  }

  private measureMotion(distances: readonly number[]): Promise<CameraMotionData> {
    const { count, frames, mattes, draft } = this.options;
    const { width, height } = mattes.format;
    const bends = draft === undefined && frames.format.width === width;
    const onProgress = (done: number): void => this.report('motion', done);
    const wanted = { count, frames: frames.format, width, height, distances, bends, onProgress };
    return measureCamera(this.threads, this.parts, wanted);
  }

  /**
   * Whether depth is worth following, judged on a few frames spread over the shot: on no more once they have said so, nor where none of
   * every other one does.
   */
  private async probeDepth(choices: FrameChoice[], motion: CameraMotionData): Promise<boolean> {
    if (motion.tripod || motion.background) return false;
    const asked = sourced(this.probed(), choices);
    const deepOf = async (some: SourcedFrame[]): Promise<number> =>
      (await Promise.all(some.map((one) => this.threads.run('probeDepth', one)))).filter(Boolean).length;
    let deep = await deepOf(asked.filter((_, k) => k % 4 === 0));
    if (!areSome(deep, asked.length)) deep += await deepOf(asked.filter((_, k) => k % 4 === 2));
    if (deep > 0 && !areSome(deep, asked.length)) deep += await deepOf(asked.filter((_, k) => k % 2 === 1));
    return areSome(deep, asked.length);
  }

  private probed(): number[] {
    return evenly(
      this.chunks().flatMap(([, frames]) => frames),
      PROBES,
    );
  }

  /**
   * Whether some of the background moves by itself, or sources are at odds about it otherwise, judged on a few frames spread over the
   * shot.
   */
  private async probeSources(choices: FrameChoice[]): Promise<{ restless: boolean; contested: boolean }> {
    const asked = sourced(this.probed(), choices);
    const answers = await Promise.all(asked.map((one) => this.threads.run('probeSources', one)));
    const told = (by: 'restless' | 'contested'): boolean => areSome(answers.filter((a) => a[by]).length, asked.length);
    return { restless: told('restless'), contested: told('contested') };
  }

  private async gather(
    choices: FrameChoice[],
    { local, restless }: Nature,
  ): Promise<{ gathered: GatheredFrame[]; depths: StretchDepth[]; told?: Told[] }> {
    const chunks = this.chunks();
    const per = this.options.draft ? DRAFT_STRETCH : 1;
    const stretches = local ? joined(chunks, per) : [];
    const steps = chunks.length + stretches.length;
    let done = 0;
    const report = (): void => this.report('gather', ++done / steps);
    const depths = await this.findDepths(stretches, choices, report);
    const around = (k: number): StretchDepth[] => [-1, 0, 1].flatMap((i) => depths.get(Math.floor(k / per) + i) ?? []);
    const asked = chunks.map(([k, frames]) => ({
      name: `restless-${k}`,
      compute: () =>
        this.threads.run('tellRestless', { ...sourced([middleOf(frames)], choices)[0], depths: around(k) }),
    }));
    const told = restless ? await this.parts.all(asked) : undefined;
    const parts = chunks.map(([k, frames]) => ({
      name: `gather-${k}.held`,
      compute: () =>
        this.threads.run('gather', {
          frames: sourced(frames, choices),
          restless: told,
          depths: around(k),
          out: this.path(`gather-${k}.bin`),
        }),
    }));
    return { gathered: (await this.parts.all(parts, report)).flat(), depths: [...depths.values()], told };
  }

  /** Depths of stretches of frames, each known up to the middles of its neighbours. */
  private async findDepths(
    stretches: [number, number[]][],
    choices: FrameChoice[],
    report: () => void,
  ): Promise<Map<number, StretchDepth>> {
    const byNumber = new Map(stretches);
    const parts = stretches.map(([k, own]) => {
      const key = middleOf(own);
      const [before, after] = [byNumber.get(k - 1) ?? [], byNumber.get(k + 1) ?? []];
      const around = [...before.filter((t) => t > middleOf(before)), ...after.filter((t) => t < middleOf(after))];
      const also = around.filter((t) => this.camera!.sameScene(t, key)).flatMap((t) => [t, ...choices[t].sources]);
      const task = { frames: sourced(own, choices), key, also: [...new Set(also)] };
      // The name says what is in it: parts of a take that was begun before corrections were exact are not read.
      return { name: `exact-depth-${k}`, compute: () => this.threads.run('findDepth', task) };
    });
    const depths = await this.parts.all(parts, report);
    return new Map(stretches.flatMap(([k], i) => (depths[i] ? [[k, depths[i]]] : [])));
  }

  /** Frames to fill that have a hole, in chunks of neighbours, each with its number in the whole. */
  private chunks(): [number, number[]][] {
    const out: [number, number[]][] = [];
    for (let first = 0; first < this.options.count; first += CHUNK) {
      const frames: number[] = [];
      if (!this.isWanted(first, first + CHUNK - 1)) continue;
      for (let t = first; t < Math.min(first + CHUNK, this.options.count); t++) {
        if (boxOf(this.cells, t).width > 0) frames.push(t);
      }
      if (frames.length > 0) out.push([first / CHUNK, frames]);
    }
    return out;
  }

  private isWanted(first: number, last = first): boolean {
    const { only } = this.options;
    return !only || (last >= only.first && first <= only.last);
  }

  private async buildPlates(
    choices: FrameChoice[],
    gathered: GatheredFrame[],
    motion: CameraMotionData,
    nature: Pick<PlateTask, 'local' | 'restless'>,
  ): Promise<Plate[]> {
    const { settings, frames } = this.options;
    if (!settings.sources.includes('texture')) return [];
    const tasks = await planPlates({
      choices,
      gathered,
      settings,
      frames: frames.format,
      cells: this.cells,
      camera: this.camera!,
      finder: () => this.finder(motion),
      isWanted: (frame) => this.isWanted(frame),
    });
    let done = 0;
    const parts = tasks.map((task, k) => ({
      name: `plate-${k}`,
      compute: () => this.threads.run('buildPlate', { ...task, ...nature }),
    }));
    return this.parts.all(parts, () => this.report('unseen', ++done / parts.length));
  }

  private async finish(
    gathered: GatheredFrame[],
    carried: Pick<FinishTask, 'plates' | 'depths'>,
    { behind, flecks }: { behind: BodyBehind[]; flecks: number[] },
  ): Promise<TakeResult['frames']> {
    const { settings, draft } = this.options;
    const measured = settings.grain && !draft ? gathered.map((g) => g.measure.grain) : [];
    const { models, shares } = shotGrain(measured, maxSample(this.options.frames.format));
    const sharesAt = new Map(gathered.map((g, k) => [g.frame, shares[k]]));
    const byFrame = new Map(gathered.map((g) => [g.frame, g]));
    const some = gathered.filter((_, k) => k % ASKED_EVERY === 0).map(contradictedOf);
    const still = stillness(gathered.map((g) => g.measure.likeness));
    let done = 0;
    const parts = this.chunks().map(([k, frames]) => ({
      name: `finish-${k}.frames`,
      compute: () =>
        this.threads.run('finish', {
          gathered: this.path(`gather-${k}.bin`),
          frames: frames.map((frame) => ({
            frame,
            softening: byFrame.get(frame)!.measure.softening,
            transfer: byFrame.get(frame)!.measure.transfer,
            grainShares: sharesAt.get(frame),
            contradicted: seenFrom(frame, some, this.camera!),
            behind: behind.filter((b) => b.frame === frame),
            flecks: fleckSources(flecks, frame, this.camera!),
            neighbours: [-2, -1, 0, 1, 2].flatMap((d) => {
              const g = byFrame.get(frame + d);
              return g ? [{ frame: g.frame, rect: g.region.rect, offsets: g.measure.offsets }] : [];
            }),
          })),
          ...carried,
          grain: models,
          stillness: still,
          out: this.path(`finish-${k}.bin`),
        }),
    }));
    return (await this.parts.all(parts, () => this.report('finish', ++done / parts.length))).flat();
  }
}
