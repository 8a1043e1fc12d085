import { randomUUID } from 'node:crypto';
import { Op, type Sequelize } from 'sequelize';
import type { ServerEvent } from '../../contract/events.ts';
import { trimsText } from '../../contract/trim.ts';
import type { TakeBody, TakeChange, TakeView } from '../../contract/takes.ts';
import { AppError } from '../../core/errors.ts';
import { Clip } from '../store/clip.ts';
import type { Shot } from '../store/shot.ts';
import { cancelWork } from '../store/work.ts';
import { Take, takeView } from '../store/take.ts';
import { basisOf, picksOf, pictureTrims } from './layers.ts';
import { findShot } from './shots.ts';

interface TakeDoors {
  tell(event: ServerEvent): Promise<void>;
  /** Puts the computing of a take in the queue. */
  queue(id: string): Promise<void>;
  /** Puts the making of its playable copy in the queue. */
  queuePreview(id: string): Promise<void>;
}

/** Takes as the API knows them. */
export class TakeService {
  constructor(
    private readonly database: Sequelize,
    private readonly doors: TakeDoors,
  ) {}

  async list(shotId: string): Promise<TakeView[]> {
    const shot = await findShot(shotId);
    const takes = await Take.findAll({ where: { shotId }, order: [['createdAt', 'ASC']] });
    return this.views(shot, takes);
  }

  /** @throws AppError `no_marks`, `not_found`, `bad_range` for frames that the shot does not have. */
  async create(shotId: string, { removalId, draft, only, seed }: TakeBody): Promise<TakeView> {
    const shot = await findShot(shotId);
    const basis = basisOf(shot, removalId, await picksOf(shotId), await framesOf(shot));
    if (!basis) throw new AppError('not_found', `There is no removal ${removalId} in this shot.`);
    if (Object.keys(basis.marks.shapes).length === 0) {
      throw new AppError('no_marks', `“${basis.marks.name}” has no shape yet. Draw around what is to go away first.`);
    }
    const { first, count } = basis;
    if (only && (only.first < first || only.last >= first + count)) {
      throw new AppError('bad_range', `The shot has the frames ${first} to ${first + count - 1}. Choose among them.`);
    }
    const { plate } = basis.marks.settings;
    if (plate && (plate.frame < first || plate.frame >= first + count)) {
      throw new AppError('bad_range', `The plate lies at frame ${plate.frame}, outside of the shot. Make another.`);
    }
    const number = (await Take.count({ where: { shotId, removalId, draft }, paranoid: false })) + 1;
    const take = await Take.create({
      id: randomUUID(),
      shotId,
      removalId,
      name: `${draft ? 'Draft' : 'Full'} ${number}`,
      draft,
      settings: { ...basis.marks.settings, ...(seed !== undefined && { seed }) },
      marks: basis.marks,
      marksHash: basis.marksHash,
      first,
      count,
      only: only ?? null,
      beneath: basis.beneath,
      beneathTrims: basis.beneathTrims,
    });
    await this.doors.queue(take.id);
    return this.changed(take);
  }

  async get(id: string): Promise<TakeView> {
    return this.view(await findTake(id));
  }

  /**
   * Renames, or makes it the one that the shot shows.
   *
   * @throws AppError `not_ready` for the pick of an unfinished take, `not_whole` for that of a part of the shot.
   */
  async change(id: string, { name, picked }: TakeChange): Promise<TakeView> {
    const take = await findTake(id);
    if (picked && take.state !== 'done') throw new AppError('not_ready', 'Only a finished take can be the pick.');
    if (picked && take.only) {
      throw new AppError('not_whole', 'This take fills a part of the shot. Run one of the whole shot to pick it.');
    }
    await this.database.transaction(async (transaction) => {
      if (picked) {
        const { shotId, removalId } = take;
        // The pick itself is left alone: a row saves only what differs from what was read.
        const others = { shotId, removalId, picked: true, id: { [Op.ne]: id } };
        await Take.update({ picked: false }, { where: others, transaction });
      }
      await take.update({ name: name ?? take.name, picked: picked ?? take.picked }, { transaction });
    });
    return this.changed(take);
  }

  /** Asks whoever computes it to stop; what is finished stays, and the take can be gone on with. */
  async cancel(id: string): Promise<TakeView> {
    const take = await findTake(id);
    await cancelWork(take);
    return this.changed(take);
  }

  /** Goes on with a take that failed or was cancelled, from its finished chunks. */
  async resume(id: string): Promise<TakeView> {
    const take = await findTake(id);
    if (take.state === 'failed' || take.state === 'cancelled') {
      await take.update({ state: 'queued', stage: 'waiting', cancel: false, error: null, progress: 0 });
      await this.doors.queue(id);
    }
    return this.changed(take);
  }

  /** Makes its playable copy again, if hand trims have changed since. */
  async preview(id: string): Promise<TakeView> {
    const take = await findTake(id);
    const view = await this.view(take);
    if (view.state === 'done' && !view.playable) await this.doors.queuePreview(id);
    return view;
  }

  async remove(id: string): Promise<void> {
    const take = await findTake(id);
    await take.update({ cancel: take.state === 'running', picked: false });
    await take.destroy();
    await this.tellOf(take);
  }

  async restore(id: string): Promise<TakeView> {
    const take = await Take.findByPk(id, { paranoid: false });
    if (!take?.deletedAt) throw notFound(id);
    await take.restore();
    return this.changed(take);
  }

  private async changed(take: Take): Promise<TakeView> {
    await this.tellOf(take);
    return this.view(take);
  }

  private async view(take: Take): Promise<TakeView> {
    return (await this.views(await findShot(take.shotId), [take]))[0];
  }

  private async views(shot: Shot, takes: Take[]): Promise<TakeView[]> {
    const [picks, frames] = await Promise.all([picksOf(shot.id), framesOf(shot)]);
    const hashes = new Map<string, string | undefined>();
    for (const { removalId } of takes) hashes.set(removalId, basisOf(shot, removalId, picks, frames)?.marksHash);
    const all = await Take.findAll({ where: { shotId: shot.id }, attributes: ['id', 'removalId'], paranoid: false });
    const byId = new Map(all.map((t) => [t.id, t]));
    return takes.map((take) => {
      const under = take.beneath.flatMap((id) => byId.get(id) ?? []);
      const trims = trimsText(pictureTrims([...under, take], shot.document));
      return takeView(take, hashes.get(take.removalId) !== take.marksHash, trims);
    });
  }

  private tellOf(take: Take): Promise<void> {
    return this.doors.tell({ kind: 'take', id: take.id, shotId: take.shotId });
  }
}

async function framesOf(shot: Shot): Promise<number> {
  const clip = await Clip.findByPk(shot.clipId, { paranoid: false, attributes: ['info'] });
  return clip!.info!.frames;
}

const notFound = (id: string): AppError =>
  new AppError('not_found', `There is no take ${id}. It may have been deleted.`);

export async function findTake(id: string): Promise<Take> {
  const take = await Take.findByPk(id);
  if (!take) throw notFound(id);
  return take;
}
