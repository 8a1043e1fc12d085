import { randomUUID } from 'node:crypto';
import { readFile } from 'node:fs/promises';
import type { ServerEvent } from '../../contract/events.ts';
import type { MoverOutlines, SearchView } from '../../contract/movers.ts';
import { workRange } from '../../contract/shots.ts';
import { AppError } from '../../core/errors.ts';
import type { Files } from '../files.ts';
import { Clip } from '../store/clip.ts';
import { Search, searchView } from '../store/search.ts';
import { shotView } from '../store/shot.ts';
import { cancelWork } from '../store/work.ts';
import { removeFound, type FoundOutlines } from './moverOutlines.ts';
import { findShot } from './shots.ts';

interface MoverDoors {
  tell(event: ServerEvent): Promise<void>;
  queue(id: string): Promise<void>;
}

/** What moves by itself in a shot: searched for once when asked, and kept. */
export class MoverService {
  constructor(
    private readonly files: Files,
    private readonly doors: MoverDoors,
  ) {}

  /** The newest search of a shot, if there is any. */
  async view(shotId: string): Promise<{ search: SearchView | null }> {
    await findShot(shotId);
    const row = await Search.findOne({ where: { shotId } });
    return { search: row && searchView(row) };
  }

  /** Searches the shot with its handles; a search that is under way goes on, an earlier one is forgotten. */
  async search(shotId: string): Promise<SearchView> {
    const shot = await findShot(shotId);
    const clip = (await Clip.findByPk(shot.clipId, { paranoid: false }))!;
    const { first, count } = workRange(shotView(shot), clip.info!.frames);
    const before = await Search.findOne({ where: { shotId } });
    if (before && ['queued', 'running'].includes(before.state) && !before.cancel) return searchView(before);
    if (before) {
      await before.destroy();
      await removeFound(this.files, before.id);
    }
    const row = await Search.create({ id: randomUUID(), shotId, first, count });
    await this.doors.queue(row.id);
    return this.changed(row);
  }

  /** Stops a search. @throws AppError `not_found`. */
  async cancel(shotId: string): Promise<SearchView> {
    const row = await this.find(shotId);
    await cancelWork(row);
    return this.changed(row);
  }

  /** The outline of a mover on each of its frames, with its shadow or without. @throws AppError `not_found`. */
  async outlines(shotId: string, mover: number, of: keyof FoundOutlines): Promise<MoverOutlines> {
    const row = await this.find(shotId);
    const text = await readFile(this.files.search(row.id, 'json'), 'utf8').catch(() => '[]');
    // A search of before shadows were told apart has one outline for both.
    const all = JSON.parse(text) as (FoundOutlines | MoverOutlines)[];
    if (row.state !== 'done' || mover >= all.length) {
      throw new AppError('not_found', `No mover ${mover} was found in this shot. Search it again.`);
    }
    const found = all[mover];
    return 'whole' in found ? (found as FoundOutlines)[of] : found;
  }

  private async find(shotId: string): Promise<Search> {
    await findShot(shotId);
    const row = await Search.findOne({ where: { shotId } });
    if (!row) throw new AppError('not_found', 'This shot has not been searched for what moves.');
    return row;
  }

  private async changed(row: Search): Promise<SearchView> {
    await this.doors.tell({ kind: 'search', id: row.id, shotId: row.shotId });
    return searchView(row);
  }
}
