import type { PointBody, PointedOutline } from '../../contract/outlines.ts';
import type { PointRequest } from '../../media/pointWork.ts';
import type { Files } from '../files.ts';
import { Search } from '../store/search.ts';
import { storedOf, type FrameStores, type StoredClip } from './frameStores.ts';
import { readCamera } from './moverOutlines.ts';
import type { PictureService } from './pictures.ts';
import type { PointThread } from './pointThread.ts';
import { findShot } from './shots.ts';

/** Outlines of what is pointed at. Nothing is kept: the page puts them into the document. */
export class OutlineService {
  /** The frame that was pointed at last: somebody who points goes on pointing there. */
  private last?: { place: string; picture: ReturnType<PictureService['stored']> };

  constructor(
    private readonly files: Files,
    private readonly stores: FrameStores,
    private readonly pictures: PictureService,
    private readonly thread: PointThread,
  ) {}

  private picture(clipId: string, frame: number): ReturnType<PictureService['stored']> {
    const place = `${clipId}:${frame}`;
    if (this.last?.place !== place) {
      const picture = this.pictures.stored(clipId, frame);
      this.last = { place, picture };
      // What failed is tried again.
      picture.catch(() => (this.last = undefined));
    }
    return this.last!.picture;
  }

  /** @throws AppError `not_found`, `not_ready`, `outline_failed`. */
  async point(shotId: string, { frame, ...body }: PointBody): Promise<PointedOutline> {
    const shot = await findShot(shotId);
    const { clip, bytes } = await this.picture(shot.clipId, frame);
    const { width, height, rotation } = clip.info;
    const picture = { bytes, format: storedOf(clip).format };
    const cue = body.prior ? undefined : await motionOf(shotId, clip, frame, this.files, this.stores);
    const outline = await this.thread.ask({
      ...body,
      picture,
      clip: { width, height, rotation },
      ...(cue && { shot: cue }),
    });
    return { outline };
  }
}

/** What tells what moves in a shot, once it has been searched. @param frame - Of the clip. */
export async function motionOf(
  shotId: string,
  clip: StoredClip,
  frame: number,
  files: Files,
  stores: FrameStores,
): Promise<PointRequest['shot']> {
  const search = await Search.findOne({ where: { shotId, state: 'done' } });
  if (!search || frame < search.first || frame >= search.first + search.count) return undefined;
  const camera = await readCamera(files, search.id);
  if (!camera) return undefined;
  const small = await stores.small({ clip, first: search.first, count: search.count });
  return { key: search.id, frame: frame - search.first, small, camera };
}
