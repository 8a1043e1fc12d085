import type { FrameFormat } from '../core/image/format.ts';
import { solveCamera, type CameraMotionData } from '../core/motion/cameraMotion.ts';
import type { Link } from '../core/motion/links.ts';
import { analysisScale } from '../core/motion/pyramids.ts';
import { isCut } from '../core/motion/scenes.ts';
import { chain } from '../core/motion/solve.ts';
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

/** Measures the camera's motion with several threads; the result does not depend on their number. */
export async function measureCamera(threads: EngineThreads, request: CameraRequest): Promise<CameraMotionData> {
  const { count, frames, width, height, distances } = request;
  const total = count * (1 + distances.length);
  // Stretches of fixed length, so that the result does not depend on the number of threads.
  const size = Math.max(12, Math.ceil(count / 4));
  let done = 0;
  const measure = async (pairs: Pair[], levels: number, poses?: Float64Array[]): Promise<Link[]> => {
    const parts = Array.from({ length: Math.ceil(pairs.length / size) }, (_, i) =>
      pairs.slice(i * size, (i + 1) * size),
    );
    const found = await Promise.all(
      parts.map(async (part) => {
        const result = await threads.run('measureLinks', { pairs: part, levels, poses });
        done += part.length;
        request.onProgress(done / total);
        return result;
      }),
    );
    return found.flat();
  };
  const next = await measure(pairsAt(count, 1), LEVELS_NEXT);
  const poses = chain(
    count,
    next.filter((link) => !isCut(link)),
    count >> 1,
  );
  const apart = distances.flatMap((k) => pairsAt(count, k)).sort((a, b) => a.from - b.from || a.to - b.to);
  const far = await measure(apart, LEVELS_LONG, poses);
  const scale = analysisScale(frames.width, frames.height) * (width / frames.width);
  return solveCamera(width, height, count, [...next, ...far], MATCH_SIGMA_PX * scale, request.bends);
}

interface Pair {
  from: number;
  to: number;
}

function pairsAt(count: number, distance: number): Pair[] {
  return Array.from({ length: Math.max(0, count - distance) }, (_, t) => ({ from: t, to: t + distance }));
}
