import { existsSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { marksText, revealText } from '../../contract/document.ts';
import type { RevealData, RevealView } from '../../contract/takes.ts';
import { AppError } from '../../core/errors.ts';
import type { Files } from '../files.ts';
import { Clip } from '../store/clip.ts';
import { Reveal } from '../store/reveal.ts';
import { Search } from '../store/search.ts';
import { basisOf, besideOf, hashOf, removalsBefore } from './layers.ts';
import { findShot } from './shots.ts';

/** A reveal at work is written to several times a second. */
const SILENT_MS = 10_000;

/** How much of a removal's hole the shot shows elsewhere: computed when asked for, kept by what it is computed from. */
export class RevealService {
  constructor(
    private readonly files: Files,
    private readonly queue: (shotId: string, removalId: string) => Promise<void>,
  ) {}

  /** The reveal of a removal's present marks; starts computing it if it is not there. */
  async ask(shotId: string, removalId: string): Promise<RevealView> {
    const shot = await findShot(shotId);
    const clip = (await Clip.findByPk(shot.clipId, { paranoid: false }))!;
    const basis = basisOf(shot, removalId, new Map(), clip.info!.frames);
    if (!basis) throw new AppError('not_found', `There is no removal ${removalId} in this shot.`);
    if (Object.keys(basis.marks.shapes).length === 0) {
      throw new AppError('no_marks', `“${basis.marks.name}” has no shape yet. Draw around what is to go away first.`);
    }
    const { marks, first, count } = basis;
    const search = await Search.findOne({ where: { shotId, state: 'done' }, attributes: ['id'] });
    const shadow = marks.shadowStays ? ['shadow stays'] : [];
    const beside = besideOf(shot.document, removalId, removalsBefore(shot.document, removalId));
    const more = [...shadow, ...beside.map(marksText)];
    const key = hashOf(clip.hash, marksText(marks), first, count, revealText(marks.settings), search?.id, ...more);
    const row = await Reveal.findOne({ where: { shotId, removalId } });
    if (row?.key === key && (row.state === 'failed' || isBeingComputed(row))) return viewOf(row, null);
    const data = await this.read(key);
    // All columns are written, whatever was read before: another page may ask at the same moment.
    const fresh = { shotId, removalId, key, task: { marks, beside, first, count, search: search?.id }, error: null };
    if (data) {
      if (row?.key !== key || row.state !== 'ready') await Reveal.upsert({ ...fresh, state: 'ready', progress: 1 });
      return { state: 'ready', progress: 1, error: null, data };
    }
    await Reveal.upsert({ ...fresh, state: 'working', progress: 0 });
    await this.queue(shotId, removalId);
    return { state: 'working', progress: 0, error: null, data: null };
  }

  /** Tries again what failed. */
  async retry(shotId: string, removalId: string): Promise<RevealView> {
    await Reveal.destroy({ where: { shotId, removalId, state: 'failed' } });
    return this.ask(shotId, removalId);
  }

  /** Path of the maps of a reveal. @throws AppError `not_found`. */
  maps(key: string): string {
    const path = this.files.reveal(key, 'maps');
    if (!existsSync(path)) throw new AppError('not_found', 'This reveal is not there any more. Ask for it again.');
    return path;
  }

  private async read(key: string): Promise<RevealData | undefined> {
    const text = await readFile(this.files.reveal(key, 'json'), 'utf8').catch(() => undefined);
    return text === undefined ? undefined : (JSON.parse(text) as RevealData);
  }
}

/** Work that has not been heard of for a while is asked for again: asking twice does no harm. */
const isBeingComputed = ({ state, updatedAt }: Reveal): boolean =>
  state === 'working' && Date.now() - updatedAt.getTime() < SILENT_MS;

function viewOf({ state, progress, error }: Reveal, data: RevealData | null): RevealView {
  return { state, progress, error: error ?? null, data };
}
