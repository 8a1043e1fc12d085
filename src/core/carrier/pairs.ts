import { evenly } from '../evenly.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import type { MattePlace } from './matteWay.ts';

/** Frames that are asked. */
const ASKED = 12;
/** A matte has gone so many times its size over its background, px at least, before anything is told by that. */
const GONE = 0.4;
const GONE_PX = 8;
/** And so many frames away at most: a thing that goes slower is in sight of the same background all the time. */
const FAR = 60;

export interface FramePair {
  from: number;
  to: number;
}

/** Frames spread over a shot, each with the nearest one by which the matte has moved on over the background. */
export function pairsApart(way: readonly (MattePlace | undefined)[], camera: CameraMotion): FramePair[] {
  const frames = way.flatMap((place, t) => (place ? [t] : []));
  return evenly(frames, ASKED).flatMap((from) => {
    const to = partnerOf(from, way, camera);
    return to === undefined ? [] : [{ from, to }];
  });
}

function partnerOf(from: number, way: readonly (MattePlace | undefined)[], camera: CameraMotion): number | undefined {
  const { x, y, size } = way[from]!;
  const far = Math.max(GONE_PX, GONE * size);
  for (let d = 1; d <= FAR; d++) {
    for (const to of [from + d, from - d]) {
      const there = way[to];
      if (!there || !camera.sameScene(from, to)) continue;
      const at = Float64Array.of(x, y);
      camera.map(from, to, at);
      if (Math.hypot(there.x - at[0], there.y - at[1]) >= far) return to;
    }
  }
  return undefined;
}
