import { project } from '../geometry/homography.ts';
import { median } from '../geometry/linear.ts';
import type { Step } from './linkRegions.ts';
import { areaOf } from './maskPatch.ts';
import type { Mover } from './movers.ts';

/** Share of the frame that a fleck does not reach, mostly. */
const MOST_AREA = 0.001;
/** How far it goes in a frame, in times its own size: people and cars need many frames for theirs. */
const LEAST_SPEED = 0.4;
/** So many of them are weather, or a swarm; a few are birds. */
const FEWEST = 5;

type Found = Omit<Mover, 'best'>;

/**
 * Leaves out flakes, drops and insects: things that are small, fast for their size, and many. Nobody wants to choose among them.
 * @param frame - Area, px of the small frames.
 */
export function withoutFlecks(movers: readonly Found[], frame: number, step: Step): Found[] {
  const flecks = new Set(movers.filter((mover) => isFleck(mover, frame, step)));
  return movers.filter((mover) => flecks.size < FEWEST || !flecks.has(mover));
}

function isFleck({ first, last, masks, path }: Found, frame: number, step: Step): boolean {
  // Now and then it is one with what it passes.
  const area = median(masks.map(areaOf));
  if (area >= MOST_AREA * frame || last === first) return false;
  const carried = project(step(first, last), path[0].x, path[0].y);
  const way = Math.hypot(path.at(-1)!.x - carried.x, path.at(-1)!.y - carried.y);
  return way / (last - first) > LEAST_SPEED * Math.sqrt(area);
}
