import { carriedBy } from '../core/carrier/carriedBy.ts';
import { FEWEST, isCarried } from '../core/carrier/goesWith.ts';
import { matteWay } from '../core/carrier/matteWay.ts';
import { pairsApart } from '../core/carrier/pairs.ts';
import type { MatteCells } from '../core/image/matteCells.ts';
import { CameraMotion, type CameraMotionData } from '../core/motion/cameraMotion.ts';
import type { EngineThreads } from './threads.ts';

/**
 * The motion of what carries what goes away (a van its lettering, a jacket a number), if something does: what is around the matte goes with
 * it then, and not with the background.
 *
 * @returns Nothing where the matte lies on the background, or passes before it.
 */
export async function findCarrier(
  threads: EngineThreads,
  cells: MatteCells,
  camera: CameraMotionData,
): Promise<CameraMotionData | undefined> {
  const way = matteWay(cells, camera);
  const pairs = pairsApart(way, new CameraMotion(camera));
  if (pairs.length < FEWEST) return undefined;
  const matte = carriedBy(way, camera);
  const answers = await Promise.all(
    pairs.map((pair) => threads.run('probeCarrier', { pair, background: camera, matte })),
  );
  return isCarried(answers) ? matte : undefined;
}
