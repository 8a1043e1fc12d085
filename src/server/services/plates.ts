import { randomUUID } from 'node:crypto';
import { existsSync } from 'node:fs';
import { mkdir } from 'node:fs/promises';
import { dirname } from 'node:path';
import type { ServerEvent } from '../../contract/events.ts';
import type { PlateBody, PlatePicture, PlateView } from '../../contract/plates.ts';
import { workRange } from '../../contract/shots.ts';
import { AppError } from '../../core/errors.ts';
import { readPlate } from '../../media/plateFile.ts';
import { writePlatePicture, writeSmallPlate } from '../../media/platePicture.ts';
import type { Files } from '../files.ts';
import { Clip } from '../store/clip.ts';
import { Plate, plateView } from '../store/plate.ts';
import { Shot, shotView } from '../store/shot.ts';
import { cancelWork } from '../store/work.ts';
import { cleanName } from './clips.ts';
import { storedOf } from './frameStores.ts';
import { storedClip } from './layers.ts';
import { dropUpload } from './mattes.ts';
import { findShot } from './shots.ts';

interface PlateDoors {
  tell(event: ServerEvent): Promise<void>;
  queue(id: string): Promise<void>;
}

/** Plates as the API knows them. */
export class PlateService {
  constructor(
    private readonly files: Files,
    private readonly doors: PlateDoors,
  ) {}

  /** Those of a shot that are being made, or could not be. */
  async list(shotId: string): Promise<PlateView[]> {
    await findShot(shotId);
    const rows = await Plate.findAll({ where: { shotId }, order: [['createdAt', 'ASC']] });
    return rows.filter((row) => row.state !== 'done' && row.state !== 'cancelled').map(plateView);
  }

  /** @throws AppError `not_found`, `bad_range` for frames that the shot does not have. */
  async build(shotId: string, { removalId, frame, first, last, statistic }: PlateBody): Promise<PlateView> {
    const range = await this.range(shotId, removalId, frame);
    if (first !== undefined && (first < range.first || last! >= range.first + range.count)) throw outside(range);
    const built = { first, last, statistic };
    const name = `Plate of frame ${frame}`;
    return this.begin(await Plate.create({ id: randomUUID(), shotId, removalId, name, frame, built }));
  }

  /** @throws AppError as {@link build}, before anything is sent. */
  async requirePlace(shotId: string, removalId: string, frame: number): Promise<void> {
    if (![shotId, removalId].every((id) => /^[0-9a-f-]{36}$/.test(id)) || !Number.isInteger(frame)) {
      throw new AppError('not_found', 'There is no such shot, thing or frame.');
    }
    await this.range(shotId, removalId, frame);
  }

  /** A whole upload becomes a plate that is read next. */
  async accept(upload: string, name: string, shotId: string, removalId: string, frame: number): Promise<void> {
    await this.range(shotId, removalId, frame);
    const row = { id: randomUUID(), shotId, removalId, name: cleanName(name).slice(0, 60), frame, upload };
    await this.begin(await Plate.create(row));
  }

  /** Stops making it, or forgets that it could not be made. @throws AppError `not_found`. */
  async dismiss(id: string): Promise<PlateView> {
    const row = await Plate.findByPk(id);
    if (!row) throw new AppError('not_found', `There is no plate ${id}.`);
    await cancelWork(row);
    if (row.state === 'failed') await row.update({ state: 'cancelled', error: null });
    if (row.state === 'cancelled') await dropUpload(this.files, row);
    return this.changed(row);
  }

  /** Path of its picture, and the name to save it under. @throws AppError `not_found`. */
  async picture(id: string, kind: PlatePicture): Promise<{ path: string; name: string }> {
    const row = await Plate.findByPk(id);
    // It is in the document a moment before its row is done.
    if (!row || !existsSync(this.files.plate(id))) throw new AppError('not_found', `There is no plate ${id}.`);
    const path = this.files.platePicture(id, kind === 'small' ? 'small.png' : kind);
    if (!existsSync(path)) await this.write(row, kind, path);
    const name = row.name.replace(/\.[^.]*$/, '').replace(/[^\p{L}\p{N}_-]+/gu, '_');
    return { path, name: `${name}.${kind === 'tif' ? 'tif' : 'png'}` };
  }

  private async write(row: Plate, kind: PlatePicture, path: string): Promise<void> {
    const shot = (await Shot.findByPk(row.shotId, { paranoid: false }))!;
    const clip = storedClip((await Clip.findByPk(shot.clipId, { paranoid: false }))!, this.files);
    await mkdir(dirname(path), { recursive: true });
    const plate = readPlate(this.files.plate(row.id));
    const write = kind === 'small' ? writeSmallPlate : writePlatePicture;
    await write(plate, clip.info, storedOf(clip), path);
  }

  /** Frames of a shot, one of which is meant. @throws AppError `not_found`, `bad_range`. */
  private async range(shotId: string, removalId: string, frame: number): Promise<{ first: number; count: number }> {
    const shot = await findShot(shotId);
    if (!(removalId in shot.document.removals)) {
      throw new AppError('not_found', `There is no removal ${removalId} in this shot.`);
    }
    const clip = (await Clip.findByPk(shot.clipId, { paranoid: false, attributes: ['info'] }))!;
    const range = workRange(shotView(shot), clip.info!.frames);
    if (frame < range.first || frame >= range.first + range.count) throw outside(range);
    return range;
  }

  private async begin(row: Plate): Promise<PlateView> {
    await this.doors.queue(row.id);
    return this.changed(row);
  }

  private async changed(row: Plate): Promise<PlateView> {
    await this.doors.tell({ kind: 'plate', id: row.id, shotId: row.shotId });
    return plateView(row);
  }
}

export const outside = ({ first, count }: { first: number; count: number }): AppError =>
  new AppError('bad_range', `The shot has the frames ${first} to ${first + count - 1}. Choose among them.`);
