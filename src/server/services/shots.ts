import { randomUUID } from 'node:crypto';
import { Op, type Sequelize, type Transaction } from 'sequelize';
import {
  MOST_FRAMES,
  workRange,
  type EditBody,
  type ShotBody,
  type ShotChange,
  type ShotState,
  type ShotView,
} from '../../contract/shots.ts';
import type { ServerEvent } from '../../contract/events.ts';
import { marksOf, toRemoval } from '../../contract/document.ts';
import { AppError } from '../../core/errors.ts';
import { shapesJson, shapesSvg } from '../../core/shapes/shapeTable.ts';
import { shownSize } from '../../media/probe.ts';
import { clipInfo, Clip } from '../store/clip.ts';
import { JournalEntry, Shot, shotView, Wish } from '../store/shot.ts';
import { applyEdit } from './documents.ts';

/** Shots and their documents. */
export class ShotService {
  constructor(
    private readonly database: Sequelize,
    private readonly tell: (event: ServerEvent) => Promise<void>,
  ) {}

  async list(): Promise<ShotView[]> {
    const shots = await Shot.findAll({ order: [['createdAt', 'ASC']], attributes: { exclude: ['document'] } });
    return shots.map(shotView);
  }

  async create(body: ShotBody): Promise<ShotView> {
    const clip = await Clip.findByPk(body.clipId);
    if (!clip) throw new AppError('not_found', `There is no clip ${body.clipId}. It may have been deleted.`);
    checkRange(body, clip);
    const shot = await Shot.create({ id: randomUUID(), ...body, document: { removals: {}, tracks: {} } });
    await this.changed(shot.id);
    return shotView(shot);
  }

  async state(id: string): Promise<ShotState> {
    const shot = await findShot(id);
    return this.stateOf(shot);
  }

  /** The shapes of a removal as a file. @throws AppError `not_found`. */
  async shapes(id: string, removalId: string, kind: 'svg' | 'json'): Promise<{ text: string; name: string }> {
    const shot = await findShot(id);
    const marks = marksOf(shot.document, removalId);
    if (!marks) throw new AppError('not_found', `There is no removal ${removalId} in this shot.`);
    const removal = toRemoval(removalId, marks);
    // A matte is no outline: it is exported as pictures.
    removal.shapes = removal.shapes.filter((s) => s.kind !== 'matte');
    const name = `${marks.name}.${kind}`;
    if (kind === 'json') return { text: shapesJson(removal), name };
    const clip = await Clip.findByPk(shot.clipId, { paranoid: false });
    const { width, height } = shownSize(clipInfo(clip!));
    return { text: shapesSvg(removal, width, height), name };
  }

  async change(id: string, change: ShotChange): Promise<ShotView> {
    const shot = await findShot(id);
    const clip = await Clip.findByPk(shot.clipId, { paranoid: false });
    checkRange({ ...shotView(shot), ...change }, clip!);
    await shot.update(change);
    await this.changed(id);
    return shotView(shot);
  }

  async remove(id: string): Promise<void> {
    await (await findShot(id)).destroy();
    await this.changed(id);
  }

  async restore(id: string): Promise<ShotView> {
    const shot = await Shot.findByPk(id, { paranoid: false });
    if (!shot?.deletedAt) throw notFound(id);
    await shot.restore();
    await this.changed(id);
    return shotView(shot);
  }

  /**
   * Applies an edit, once however often it is sent. One that completes another is undone with it, unless a third lies between.
   *
   * @throws AppError `conflict`, `bad_patch`, `bad_document`.
   */
  async edit(id: string, { editId, base, label, patch, completes }: EditBody): Promise<ShotState> {
    return this.once(id, editId, async (shot, transaction) => {
      if (base > shot.revision)
        throw new AppError('conflict', 'The patch was made on a revision that is not known here.');
      const { document, inverse } = applyEdit(shot.document, patch, base < shot.revision);
      // What was undone before a new edit cannot be redone after it.
      await JournalEntry.destroy({ where: { shotId: id, seq: afterHead(shot) }, transaction });
      const entry = { shotId: id, seq: shot.head + 1, editId, label, patch, inverse, completes: completes ?? null };
      await JournalEntry.create(entry, { transaction });
      await shot.update({ document, revision: shot.revision + 1, head: shot.head + 1 }, { transaction });
    });
  }

  /**
   * Takes the last step back, once however often the same one is asked for.
   *
   * @throws AppError `nothing_to_undo`.
   */
  undo(id: string, stepId: string): Promise<ShotState> {
    return this.once(id, stepId, async (shot, transaction) => {
      const entries = await this.lastStep(shot, transaction);
      if (entries.length === 0) throw new AppError('nothing_to_undo', 'There is nothing to undo.');
      const document = entries.reduce((doc, { inverse }) => applyEdit(doc, inverse, false).document, shot.document);
      const head = shot.head - entries.length;
      await shot.update({ document, revision: shot.revision + 1, head }, { transaction });
    });
  }

  /**
   * Makes the last undone step again, once however often the same one is asked for.
   *
   * @throws AppError `nothing_to_redo`.
   */
  redo(id: string, stepId: string): Promise<ShotState> {
    return this.once(id, stepId, async (shot, transaction) => {
      const entries = await this.nextStep(shot, transaction);
      if (entries.length === 0) throw new AppError('nothing_to_redo', 'There is nothing to redo.');
      const document = entries.reduce((doc, { patch }) => applyEdit(doc, patch, false).document, shot.document);
      const head = shot.head + entries.length;
      await shot.update({ document, revision: shot.revision + 1, head }, { transaction });
    });
  }

  /** What one undo takes back, the newest first: the last edit in force, the one that it completes, and so on. */
  private async lastStep(shot: Shot, transaction?: Transaction): Promise<JournalEntry[]> {
    const step: JournalEntry[] = [];
    for (let seq = shot.head; ; seq--) {
      const entry = await this.entry(shot, seq, transaction);
      if (!entry || (step.length > 0 && entry.editId !== step.at(-1)!.completes)) return step;
      step.push(entry);
      if (!entry.completes) return step;
    }
  }

  /** What one redo makes again, in order: the edit after the last one in force, the one that completes it, and so on. */
  private async nextStep(shot: Shot, transaction?: Transaction): Promise<JournalEntry[]> {
    const step: JournalEntry[] = [];
    for (let seq = shot.head + 1; ; seq++) {
      const entry = await this.entry(shot, seq, transaction);
      if (!entry || (step.length > 0 && entry.completes !== step.at(-1)!.editId)) return step;
      step.push(entry);
    }
  }

  private entry(shot: Shot, seq: number, transaction?: Transaction): Promise<JournalEntry | null> {
    return JournalEntry.findOne({ where: { shotId: shot.id, seq }, transaction });
  }

  /** Changes a shot with its row locked, unless this wish has done so before, then says so. */
  private async once(
    id: string,
    wishId: string,
    work: (shot: Shot, transaction: Transaction) => Promise<void>,
  ): Promise<ShotState> {
    const shot = await this.database.transaction(async (transaction) => {
      const locked = await Shot.findByPk(id, { transaction, lock: transaction.LOCK.UPDATE });
      if (!locked) throw notFound(id);
      const known = await Wish.findByPk(wishId, { transaction });
      if (known && known.shotId !== id)
        throw new AppError('bad_request', 'The id of this edit belongs to another shot.');
      if (!known) {
        await Wish.create({ id: wishId, shotId: id }, { transaction });
        await work(locked, transaction);
      }
      return locked;
    });
    await this.changed(id);
    return this.stateOf(shot);
  }

  private async stateOf(shot: Shot): Promise<ShotState> {
    const [undo, redo] = await Promise.all([this.lastStep(shot), this.nextStep(shot)]);
    const { document, revision } = shot;
    // A step is called by what a person did.
    const [last, next] = [undo.at(-1), redo.at(0)];
    return { shot: shotView(shot), document, revision, undo: last?.label ?? null, redo: next?.label ?? null };
  }

  private changed(id: string): Promise<void> {
    return this.tell({ kind: 'shot', id, shotId: id });
  }
}

const afterHead = (shot: Shot): { [Op.gt]: number } => ({ [Op.gt]: shot.head });

const notFound = (id: string): AppError =>
  new AppError('not_found', `There is no shot ${id}. It may have been deleted.`);

export async function findShot(id: string): Promise<Shot> {
  const shot = await Shot.findByPk(id);
  if (!shot) throw notFound(id);
  return shot;
}

function checkRange(shot: Omit<ShotView, 'id' | 'createdAt'>, clip: Clip): void {
  if (clip.state !== 'ready') throw new AppError('not_ready', 'This clip is still being read. Wait until it is ready.');
  const { frames } = clip.info!;
  if (shot.first > shot.last || shot.last >= frames) {
    throw new AppError(
      'bad_range',
      `In and out are ${shot.first} and ${shot.last}; the clip has the frames 0 to ${frames - 1}. Choose a range within it.`,
    );
  }
  const { count } = workRange({ id: '', ...shot }, frames);
  if (count > MOST_FRAMES) {
    throw new AppError(
      'bad_range',
      `The shot has ${count} frames with its handles; at most ${MOST_FRAMES} are worked on.`,
    );
  }
}
