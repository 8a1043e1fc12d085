import { findShape, type TrackNode } from '../../contract/document.ts';
import type { FollowView } from '../../contract/tracks.ts';
import { Follow } from '../store/follow.ts';
import { Shot } from '../store/shot.ts';
import { OutlineFollowing } from './outlineFollowing.ts';
import { runWork, type JobContext, type Work } from './runWork.ts';
import { TrackFollowing } from './trackFollowing.ts';

/** Something of a document that is followed over the shot. */
export interface Following {
  follow(work: Work): Promise<void>;
  /** What is known so far. */
  entries(): FollowView['found'];
  /** Writes what was found into the document, as one edit. */
  commit(): Promise<void>;
}

/** Follows a track or an outline where frames of it are missing; what was found is kept, also when it is stopped. */
export async function runFollow(id: string, context: JobContext): Promise<void> {
  const row = await Follow.findByPk(id);
  if (!row) return;
  const changed = (): Promise<void> => context.tell({ kind: 'follow', id, shotId: row.shotId });
  let following: Following | undefined;
  await runWork(
    row,
    context,
    { decode: 30, follow: 70 },
    changed,
    async (work) => {
      following = await begin(row, context);
      if (!following) return {};
      try {
        await following.follow(work);
      } finally {
        // A worker that is to end leaves the row to the next one, which begins anew.
        if (!context.signal.aborted) await following.commit();
      }
      return {};
    },
    () => ({ found: following?.entries() ?? {} }),
  );
}

async function begin(row: Follow, context: JobContext): Promise<Following | undefined> {
  const shot = (await Shot.findByPk(row.shotId))!;
  const track = shot.document.tracks[row.targetId] as TrackNode | undefined;
  if (track) return new TrackFollowing(row, shot, track, context);
  const place = findShape(shot.document, row.targetId);
  return place?.shape.outline && new OutlineFollowing(row, shot, place.shape, context);
}
