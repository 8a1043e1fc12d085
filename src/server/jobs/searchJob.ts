import { writeFile } from 'node:fs/promises';
import type { MoverOutlines, MoverView } from '../../contract/movers.ts';
import type { Point } from '../../core/geometry/homography.ts';
import { inClip, type MaskPatch } from '../../core/movers/maskPatch.ts';
import type { Mover } from '../../core/movers/movers.ts';
import { findMovers } from '../../media/moversWork.ts';
import { pauses } from '../../media/pauses.ts';
import { flat, roughOutline } from '../../media/shownOutline.ts';
import { toShown } from '../../media/turn.ts';
import type { StoredClip } from '../services/frameStores.ts';
import { storedClip } from '../services/layers.ts';
import { writeCamera, writeMasks, type FoundOutlines } from '../services/moverOutlines.ts';
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
    const wanted = { frames, count, shades: true, signal: work.signal, onProgress };
    const { movers, standing, bodies, camera } = await findMovers(wanted);
    const all = [...movers, ...standing];
    const isStanding = (i: number): boolean => i >= movers.length;
    const pause = pauses(work.signal);
    const listed: MoverView[] = [];
    const found: FoundOutlines[] = [];
    for (const [i, mover] of all.slice(0, MOST_MOVERS).entries()) {
      const outline = (masks: MaskPatch[]): Promise<MoverOutlines> =>
        outlinesOf(masks, first + mover.first, frames.factor, clip, pause);
      const whole = await outline(mover.masks);
      found.push({ whole, body: await outline(bodies![i]) });
      const view = viewOf(mover, whole, first, frames.factor, clip);
      listed.push(isStanding(i) ? { ...view, stands: true } : view);
    }
    await writeFile(context.files.search(id, 'json'), JSON.stringify(found));
    const masks = all.map((m, i) => ({
      ...{ first: first + m.first, masks: m.masks, bodies: bodies![i] },
      stands: isStanding(i),
    }));
    await writeMasks(context.files, id, masks);
    await writeCamera(context.files, id, camera);
    return { movers: listed };
  });
}

/** Outlines of masks, in frames of the clip and px of the picture as shown. @param first - The clip's frame of the first mask. */
async function outlinesOf(
  masks: readonly MaskPatch[],
  first: number,
  factor: number,
  clip: StoredClip,
  pause: () => Promise<void>,
): Promise<MoverOutlines> {
  const out: MoverOutlines = {};
  for (const [k, mask] of masks.entries()) {
    const outline = roughOutline(mask, factor, clip.info);
    if (outline.length > 0) out[first + k] = outline;
    await pause();
  }
  return out;
}

/** A mover in frames of the clip and px of the picture as shown. */
function viewOf(mover: Mover, outlines: MoverOutlines, first: number, factor: number, clip: StoredClip): MoverView {
  const { rotation, width, height } = clip.info;
  const middle = (p: Point): Point =>
    toShown({ x: inClip(p.x, factor), y: inClip(p.y, factor) }, rotation, width, height);
  const best = first + mover.best;
  return {
    first: first + mover.first,
    last: first + mover.last,
    best,
    box: boxOf(outlines[best] ?? []),
    path: flat(mover.path.map(middle)),
  };
}

function boxOf(places: readonly number[]): MoverView['box'] {
  const [xs, ys] = [0, 1].map((axis) => places.filter((_, i) => i % 2 === axis));
  const [x, y] = [Math.min(...xs), Math.min(...ys)];
  return [x, y, Math.max(...xs) - x, Math.max(...ys) - y];
}
