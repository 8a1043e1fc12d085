import type { FrameFormat } from '../core/image/format.ts';
import { solveCamera, type CameraMotionData } from '../core/motion/cameraMotion.ts';
import type { Link } from '../core/motion/links.ts';
import { analysisScale } from '../core/motion/pyramids.ts';
import { isCut } from '../core/motion/scenes.ts';
import { chain } from '../core/motion/solve.ts';
import { unitSpace } from '../core/motion/space.ts';
import type { Parts } from './parts.ts';
import type { EngineThreads } from './threads.ts';

/** Distances of the links beyond neighbours: long ones hold the chain. */
export const LONG_LINKS = [4, 16, 48];
export const FEW_LINKS = [16];
const LEVELS_NEXT = 5;
const LEVELS_LONG = 2;
/** Scale of an honest match's error, px of the analysis image. */
const MATCH_SIGMA_PX = 0.25;

export interface CameraRequest {
  count: number;
  /** Of the frames that are looked at. */
  frames: FrameFormat;
  /** Size in whose px the motion is given; that of the frames or larger. */
  width: number;
  height: number;
  distances: readonly number[];
  /** Whether the residual mesh is solved. */
  bends: boolean;
  onProgress(done: number): void;
}

/** Measures the camera's motion; the result does not depend on who computes its parts, nor on how many do. */
export async function measureCamera(
  threads: EngineThreads,
  parts: Parts,
  request: CameraRequest,
): Promise<CameraMotionData> {
  const { count, frames, width, height, distances } = request;
  // Stretches of fixed length, so that the result does not depend on the number of threads.
  const size = Math.max(12, Math.ceil(count / 4));
  const total = Math.ceil((count * (1 + distances.length)) / size);
  let done = 0;
  const report = (): void => request.onProgress(Math.min(1, ++done / total));
  const measure = async (name: string, pairs: Pair[], levels: number, poses?: Float64Array[]): Promise<Link[]> => {
    const stretches = Array.from({ length: Math.ceil(pairs.length / size) }, (_, i) => ({
      name: `${name}-${i}`,
      compute: () => threads.run('measureLinks', { pairs: pairs.slice(i * size, (i + 1) * size), levels, poses }),
    }));
    return (await parts.all(stretches, report)).flat();
  };
  const next = await measure('next', pairsAt(count, 1), LEVELS_NEXT);
  const poses = chain(
    count,
    next.filter((link) => !isCut(link)),
    count >> 1,
  );
  const apart = distances.flatMap((k) => pairsAt(count, k)).sort((a, b) => a.from - b.from || a.to - b.to);
  const far = await measure('far', apart, LEVELS_LONG, poses);
  const scale = analysisScale(frames.width, frames.height) * (width / frames.width);
  const solve = (): CameraMotionData =>
    solveCamera(width, height, count, [...next, ...far], MATCH_SIGMA_PX * scale, request.bends);
  const [motion] = await parts.all([{ name: 'motion', compute: () => Promise.resolve(solve()) }]);
  return motion;
}

interface Pair {
  from: number;
  to: number;
}

function pairsAt(count: number, distance: number): Pair[] {
  return Array.from({ length: Math.max(0, count - distance) }, (_, t) => ({ from: t, to: t + distance }));
}

/** Of a shot in which nothing is marked: the camera is not asked for. */
export function stillMotion(format: FrameFormat, count: number): CameraMotionData {
  return solveCamera(format.width, format.height, count, [], unitSpace(format.width, format.height).half);
}
