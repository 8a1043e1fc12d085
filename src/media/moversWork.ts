import { FILL_DEFAULTS } from '../core/fill/settings.ts';
import type { FrameFormat } from '../core/image/format.ts';
import { coverBars, createMatteCells } from '../core/image/matteCells.ts';
import { CameraMotion, type CameraMotionData } from '../core/motion/cameraMotion.ts';
import { bodyOf } from '../core/movers/bodies.ts';
import { endRuns } from '../core/movers/endRuns.ts';
import { patchOf, type MaskPatch } from '../core/movers/maskPatch.ts';
import type { Mover } from '../core/movers/movers.ts';
import type { MovingFrame } from '../core/movers/moverSearch.ts';
import type { Explained } from '../core/movers/rigidWorld.ts';
import { looksAt, stands } from '../core/movers/standing.ts';
import { FEW_LINKS, measureCamera } from './cameraWork.ts';
import { partsAlone } from './parts.ts';
import { memoryCeiling, memoryPlan } from './memoryPlan.ts';
import { leaveBarsAlone, settleStays } from './staysWork.ts';
import { EngineThreads, inStretches, threadsFor } from './threads.ts';

export interface MoversOptions {
  /** Small frames, as for a draft. */
  frames: { path: string; format: FrameFormat };
  count: number;
  /** Whether shadows are told apart from what casts them. */
  shades?: boolean;
  threads?: number;
  signal?: AbortSignal;
  onProgress?(stage: 'motion' | 'movers', done: number): void;
}

/** Frames per task: what is asked for a cancel, too. */
const CHUNK = 8;

/** What moves in a shot, and how its camera moves; all in px of the small frames. */
export interface Found {
  movers: Mover[];
  /** What was found like them, but stands: it is nearer or farther than what lies around it, and the camera travels. */
  standing: Mover[];
  /** Per mover, and per one that stands after them, its masks without its shadow, if that was asked for. */
  bodies?: MaskPatch[][];
  camera: CameraMotionData;
}

/** Searches footage for everything that moves against the background. */
export async function findMovers(options: MoversOptions): Promise<Found> {
  return withCamera(options, async (threads, camera) => {
    await threads.all('setMotion', camera);
    const { shades = false } = options;
    const frames = await movingFrames(options, threads, camera);
    const found = await threads.run('linkMovers', frames);
    const isStanding = await findStanding(found, threads, camera);
    const [movers, standing] = [false, true].map((wanted) => found.filter((_, i) => isStanding[i] === wanted));
    if (!shades) return { movers, standing, camera };
    const shade = frames.map((f) => f.shade!);
    return { movers, standing, bodies: [...movers, ...standing].map((m) => bodyOf(m, shade)), camera };
  });
}

/** Which of what was found stands. Before a camera that rests nothing seems to move that does not. */
async function findStanding(
  found: readonly Mover[],
  threads: EngineThreads,
  camera: CameraMotionData,
): Promise<boolean[]> {
  const looks = found.map((): (Explained | undefined)[] => []);
  const wanted = camera.tripod ? [] : [...looksAt(found)];
  const told = wanted.map(async ([frame, numbers]) => {
    const masks = numbers.map((i) => found[i].masks[frame - found[i].first]);
    const explained = await threads.run('explainMovers', { frame, masks });
    numbers.forEach((i, k) => looks[i].push(explained[k]));
  });
  await Promise.all(told);
  return looks.map(stands);
}

/** What of a shot is searched for movers. */
type Searched = Pick<MoversOptions, 'count' | 'shades' | 'onProgress'> & {
  /** Whether a frame is looked at; all are without it, and nothing moves in the others. */
  isWanted?: (frame: number) => boolean;
};

const NOTHING: MovingFrame = { regions: [], loose: [], shade: patchOf([], 0) };

/** What moves in each frame: first where there are others on both sides, then from there to the ends. */
export async function movingFrames(
  { count, shades = false, onProgress, isWanted = () => true }: Searched,
  threads: EngineThreads,
  camera: CameraMotionData,
): Promise<MovingFrame[]> {
  const motion = new CameraMotion(camera);
  const ends = endRuns({ tripod: camera.tripod, sameScene: (a, b) => motion.sameScene(a, b) }, count);
  const atEnd = new Set(ends.flat());
  const runs = ends.map((frames) => frames.filter(isWanted));
  const within = Array.from({ length: count }, (_, t) => t).filter((t) => !atEnd.has(t) && isWanted(t));
  const all = within.length + runs.flat().length;
  const report = (done: number): void => onProgress?.('movers', done / all);
  const search = ({ first, last }: { first: number; last: number }): Promise<MovingFrame[]> =>
    threads.run('findMoving', { frames: within.slice(first, last), shades });
  const inner = await inStretches(within.length, CHUNK, search, (part) => report(part * within.length));
  const known = new Map(inner.map((moving, k) => [within[k], moving]));
  let done = within.length;
  const outer = runs.map(async (frames) => {
    const moving = await threads.run('findMovingAtEnd', { frames, shades, known });
    report((done += frames.length));
    return moving.map((m, k): [number, MovingFrame] => [frames[k], m]);
  });
  const found = new Map([...known, ...(await Promise.all(outer)).flat()]);
  return Array.from({ length: count }, (_, t) => found.get(t) ?? NOTHING);
}

/** How the camera moves over small frames, in their px. */
export const findCamera = (options: MoversOptions): Promise<CameraMotionData> =>
  withCamera(options, (_, camera) => Promise.resolve(camera));

async function withCamera<T>(
  options: MoversOptions,
  work: (threads: EngineThreads, camera: CameraMotionData) => Promise<T>,
): Promise<T> {
  const { frames, count, signal } = options;
  const { width, height } = frames.format;
  const cells = createMatteCells(width, height, count);
  const plan = memoryPlan(frames.format, options.threads ?? threadsFor(frames.format, count), memoryCeiling());
  const mattes = { format: frames.format };
  const job = { frames, mattes, cells, settings: FILL_DEFAULTS, sourceBytes: plan.sources };
  const threads = new EngineThreads(job, plan.threads, signal);
  try {
    const onProgress = (done: number): void => options.onProgress?.('motion', done);
    const wanted = { count, frames: frames.format, width, height, distances: FEW_LINKS, bends: false, onProgress };
    const bars = await leaveBarsAlone(threads, partsAlone, { count, frames: frames.format, mattes: frames.format });
    if (bars) coverBars(cells, bars);
    const camera = await measureCamera(threads, partsAlone, wanted);
    await settleStays(threads, partsAlone, camera, bars);
    return await work(threads, camera);
  } finally {
    await threads.stop();
  }
}
