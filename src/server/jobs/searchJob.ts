import { writeFile } from 'node:fs/promises';
import type { MoverOutlines, MoverView } from '../../contract/movers.ts';
import type { Point } from '../../core/geometry/homography.ts';
import { inClip } from '../../core/movers/maskPatch.ts';
import type { Mover } from '../../core/movers/movers.ts';
import { findMovers } from '../../media/moversWork.ts';
import { pauses } from '../../media/pauses.ts';
import { flat, roughOutline } from '../../media/shownOutline.ts';
import { toShown } from '../../media/turn.ts';
import type { StoredClip } from '../services/frameStores.ts';
import { storedClip } from '../services/layers.ts';
import { writeCamera, writeMasks } from '../services/moverOutlines.ts';
import { Clip } from '../store/clip.ts';
import { Search } from '../store/search.ts';
import { Shot } from '../store/shot.ts';
import { runWork, type JobContext } from './runWork.ts';

/** Movers that are listed; there is no end to what moves in a crowd. */
const MOST_MOVERS = 40;

/** Searches a shot for what moves by itself. */
export async function runSearch(id: string, context: JobContext): Promise<void> {
  const row = await Search.findByPk(id);
  if (!row) return;
  const changed = (): Promise<void> => context.tell({ kind: 'search', id, shotId: row.shotId });
  await runWork(row, context, { decode: 30, motion: 20, movers: 50 }, changed, async (work) => {
    const shot = (await Shot.findByPk(row.shotId, { paranoid: false }))!;
    const clip = storedClip((await Clip.findByPk(shot.clipId, { paranoid: false }))!, context.files);
    const { first, count } = row;
    work.report('decode', 0);
    const frames = await context.stores.small({ clip, first, count }, work.signal);
    const onProgress = (stage: string, done: number): void => work.report(stage, done);
    const { movers, camera } = await findMovers({ frames, count, signal: work.signal, onProgress });
    const pause = pauses(work.signal);
    const listed: Listing[] = [];
    for (const mover of movers.slice(0, MOST_MOVERS)) {
      listed.push(await listing(mover, first, frames.factor, clip, pause));
    }
    await writeFile(context.files.search(id, 'json'), JSON.stringify(listed.map((m) => m.outlines)));
    const masks = movers.map((m) => ({ first: first + m.first, masks: m.masks }));
    await writeMasks(context.files, id, masks);
    await writeCamera(context.files, id, camera);
    return { movers: listed.map((m) => m.view) };
  });
}

interface Listing {
  view: MoverView;
  outlines: MoverOutlines;
}

/** A mover in frames of the clip and px of the picture as shown. */
async function listing(
  mover: Mover,
  first: number,
  factor: number,
  clip: StoredClip,
  pause: () => Promise<void>,
): Promise<Listing> {
  const outlines: MoverOutlines = {};
  for (const [k, mask] of mover.masks.entries()) {
    const outline = roughOutline(mask, factor, clip.info);
    if (outline.length > 0) outlines[first + mover.first + k] = outline;
    await pause();
  }
  const { rotation, width, height } = clip.info;
  const middle = (p: Point): Point =>
    toShown({ x: inClip(p.x, factor), y: inClip(p.y, factor) }, rotation, width, height);
  const best = first + mover.best;
  return {
    outlines,
    view: {
      first: first + mover.first,
      last: first + mover.last,
      best,
      box: boxOf(outlines[best] ?? []),
      path: flat(mover.path.map(middle)),
    },
  };
}

function boxOf(places: readonly number[]): MoverView['box'] {
  const [xs, ys] = [0, 1].map((axis) => places.filter((_, i) => i % 2 === axis));
  const [x, y] = [Math.min(...xs), Math.min(...ys)];
  return [x, y, Math.max(...xs) - x, Math.max(...ys) - y];
}
