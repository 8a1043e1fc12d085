import { marksOf } from '../../contract/document.ts';
import type { FittedDonor } from '../../contract/donors.ts';
import { AppError } from '../../core/errors.ts';
import { fitDonor } from '../../core/fill/fitDonor.ts';
import type { Donor } from '../../core/fill/settings.ts';
import { OnePicture } from '../../media/onePicture.ts';
import { offsetToShown, offsetToStored } from '../../media/turn.ts';
import type { Files } from '../files.ts';
import { storedOf } from './frameStores.ts';
import { mattesOf } from './layers.ts';
import type { PictureService } from './pictures.ts';
import { findShot } from './shots.ts';

/** Parts of a px that an offset is given in. */
const TENTHS = 10;

/** Donors that are to go on from what surrounds a hole. Nothing is kept: the page puts them into the document. */
export class DonorService {
  constructor(
    private readonly files: Files,
    private readonly pictures: PictureService,
  ) {}

  /** @throws AppError `not_found`, `not_ready`, `no_marks`, `no_donor`. */
  async fit(shotId: string, removalId: string, donor: Donor): Promise<FittedDonor> {
    const { document, clipId } = await findShot(shotId);
    const marks = marksOf(document, removalId);
    if (!marks) throw new AppError('not_found', `The shot has no removal ${removalId}. It may have been deleted.`);
    const { clip, bytes } = await this.pictures.stored(clipId, donor.frame);
    const mattes = mattesOf(clip, this.files, removalId, marks, donor.frame, 1);
    if (mattes.matte(0).rect.width === 0) {
      throw new AppError('no_marks', `Nothing is outlined at frame ${donor.frame}. Go to a frame where it is.`);
    }
    const { rotation } = clip.info;
    const { x: dx, y: dy } = offsetToStored({ x: donor.dx, y: donor.dy }, rotation);
    const fit = fitDonor(new OnePicture(bytes, storedOf(clip).format), mattes, 0, { dx, dy });
    if (!fit) {
      throw new AppError(
        'no_donor',
        'Nothing near the donor goes on from what surrounds the hole. Move it to a place with the same structure, and try again.',
      );
    }
    const shown = offsetToShown({ x: fit.dx, y: fit.dy }, rotation);
    const tenths = (v: number): number => Math.round(v * TENTHS) / TENTHS;
    return { frame: donor.frame, dx: tenths(shown.x), dy: tenths(shown.y), likeness: fit.likeness };
  }
}
