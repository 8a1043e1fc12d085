import { trimsText } from '../../contract/trim.ts';
import { AppError } from '../../core/errors.ts';
import { applyLayer } from '../../media/layeredFrames.ts';
import { framePng, readClipFrame } from '../../media/picture.ts';
import type { Files } from '../files.ts';
import { Clip } from '../store/clip.ts';
import { trimsKey, type Take } from '../store/take.ts';
import { storedOf, type FrameStores, type StoredClip } from './frameStores.ts';
import { layersOf, pictureTrims, storedClip, takesById } from './layers.ts';
import { findShot } from './shots.ts';
import { findTake } from './takes.ts';

/** Single frames at full size, of clips and takes, as PNG. */
export class PictureService {
  constructor(
    private readonly files: Files,
    private readonly stores: FrameStores,
  ) {}

  /** @throws AppError `not_found`, `not_ready`. */
  async ofClip(clipId: string, frame: number): Promise<Buffer> {
    const clip = await this.clip(clipId, frame);
    return framePng(await this.read(clip, frame), clip.info, storedOf(clip));
  }

  /** A frame as stored, all planes. @throws AppError `not_found`, `not_ready`. */
  async stored(clipId: string, frame: number): Promise<{ clip: StoredClip; bytes: Uint8Array }> {
    const clip = await this.clip(clipId, frame);
    return { clip, bytes: await this.read(clip, frame) };
  }

  /**
   * A frame with a take and those beneath it; of a take at work as soon as the frame is finished.
   * @param trims - Key of the hand trims that it is to have; those of another moment are not given out under this name.
   */
  async ofTake(takeId: string, frame: number, trims: string): Promise<Buffer> {
    const take = await findTake(takeId);
    const shot = await findShot(take.shotId);
    const clip = await this.clip(shot.clipId, frame);
    if (!isFinished(take, frame)) throw new AppError('not_ready', `Frame ${frame} of this take is not finished yet.`);
    const bytes = new Uint8Array(await this.read(clip, frame));
    const takes = [...(await takesById(take.beneath)), take];
    const now = pictureTrims(takes, shot.document);
    requireTrims(trims, trimsText(now));
    const layers = layersOf(takes, now, clip, this.files, take.first);
    for (const layer of layers) applyLayer(bytes, storedOf(clip).format, layer, frame - take.first);
    return framePng(bytes, clip.info, storedOf(clip));
  }

  /** Path of a finished take's playable copy. @throws AppError `not_ready`. */
  async takeProxy(takeId: string, trims: string): Promise<string> {
    const take = await findTake(takeId);
    if (take.state !== 'done') throw new AppError('not_ready', 'This take is not finished yet.');
    requireTrims(trims, take.previewTrims);
    return this.files.takeProxy(take.id);
  }

  private async clip(id: string, frame: number): Promise<StoredClip> {
    const clip = await Clip.findByPk(id);
    if (!clip) throw new AppError('not_found', `There is no clip ${id}. It may have been deleted.`);
    if (clip.state !== 'ready') throw new AppError('not_ready', 'This clip is still being read.');
    if (frame >= clip.info!.frames) throw new AppError('not_found', `The clip has no frame ${frame}.`);
    return storedClip(clip, this.files);
  }

  private async read(clip: StoredClip, frame: number): Promise<Uint8Array> {
    return (await this.stores.find(clip, frame)) ?? readClipFrame(clip.path, clip.info, storedOf(clip), frame);
  }
}

function requireTrims(wanted: string, text: string): void {
  if (wanted !== trimsKey(text))
    throw new AppError('not_ready', 'Its hand trims have just changed. Ask for the take again.');
}

function isFinished({ state, finished, first }: Take, frame: number): boolean {
  return state === 'done' || finished.some(([a, b]) => frame - first >= a && frame - first <= b);
}
