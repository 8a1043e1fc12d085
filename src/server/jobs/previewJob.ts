import { trimsText } from '../../contract/trim.ts';
import { cutClip } from '../../media/cutClip.ts';
import { LayeredFrames } from '../../media/layeredFrames.ts';
import { writeFramesProxy } from '../../media/proxy.ts';
import { RawStore } from '../../media/rawStore.ts';
import { storedOf } from '../services/frameStores.ts';
import { layersOf, pictureTrims, storedClip, takesById } from '../services/layers.ts';
import { Clip } from '../store/clip.ts';
import { Shot } from '../store/shot.ts';
import { Take } from '../store/take.ts';
import type { JobContext } from './runWork.ts';

/** Makes a finished take's playable copy again, after a hand trim has changed. */
export async function runPreview(id: string, context: JobContext): Promise<void> {
  const take = await Take.findByPk(id);
  if (take?.state !== 'done') return;
  const previewTrims = await writePreview(take, context, { signal: context.signal, report: () => undefined });
  await Take.update({ previewTrims }, { where: { id } });
  await context.tell({ kind: 'take', id, shotId: take.shotId });
}

/**
 * Writes a playable copy of a take and those beneath it, with their hand trims as they are now.
 * @returns The trims, as text.
 */
export async function writePreview(
  take: Take,
  { files, stores }: JobContext,
  work: { signal: AbortSignal; report: (stage: 'preview', done: number) => void },
): Promise<string> {
  const shot = (await Shot.findByPk(take.shotId, { paranoid: false }))!;
  const clip = storedClip((await Clip.findByPk(shot.clipId, { paranoid: false }))!, files);
  const takes = [...(await takesById(take.beneath)), take];
  const trims = pictureTrims(takes, shot.document);
  const { first, count } = take;
  const { path, format } = await stores.full({ clip, first, count }, work.signal);
  const store = new RawStore(path, format);
  const frames = new LayeredFrames(store, layersOf(takes, trims, clip, files, first));
  const source = { clip: cutClip(clip.info, first, count), stored: storedOf(clip), count };
  const next = (t: number): Uint8Array => {
    work.report('preview', t / count);
    return frames.frame(t);
  };
  await writeFramesProxy(source, files.takeProxy(take.id), next, work.signal).finally(() => store.close());
  return trimsText(trims);
}
