import { frameNumbers } from '../../contract/document.ts';
import type { PatchOperation } from '../../contract/shots.ts';
import { ShotService } from '../services/shots.ts';
import type { Follow } from '../store/follow.ts';
import { Shot } from '../store/shot.ts';
import type { JobContext } from './runWork.ts';

/**
 * Whether the anchors before, at and after a frame are what they were when it was followed.
 * @param a - By frame, what an anchor is.
 */
export function sameNeighbours(frame: number, a: Record<string, unknown>, b: Record<string, unknown>): boolean {
  const around = (anchors: Record<string, unknown>): string => {
    const frames = frameNumbers(anchors);
    const [before, after] = [frames.findLast((f) => f <= frame) ?? -1, frames.find((f) => f >= frame) ?? -1];
    return JSON.stringify([before, anchors[before], after, anchors[after]]);
  };
  return around(a) === around(b);
}

/** Writes what was followed into the document; the edit has the row's id, so that it counts once. */
export async function commitFollowed(
  row: Follow,
  shot: Shot,
  name: string,
  patch: PatchOperation[],
  context: JobContext,
): Promise<void> {
  const edit = { editId: row.id, base: shot.revision, label: `Follow “${name}”`, patch };
  await new ShotService(Shot.sequelize!, context.tell).edit(row.shotId, {
    ...edit,
    ...(row.completes && { completes: row.completes }),
  });
}
