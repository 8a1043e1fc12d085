import { randomUUID } from 'node:crypto';
import { existsSync } from 'node:fs';
import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import { findShape } from '../../contract/document.ts';
import type { ServerEvent } from '../../contract/events.ts';
import type { MatteView, SoftenBody } from '../../contract/mattes.ts';
import { AppError } from '../../core/errors.ts';
import type { RasterPatch } from '../../core/shapes/raster.ts';
import { rasterFile } from '../../media/rasterFile.ts';
import type { Files } from '../files.ts';
import { Matte, matteView } from '../store/matte.ts';
import { cancelWork, type WorkRow } from '../store/work.ts';
import { cleanName } from './clips.ts';
import { findShot } from './shots.ts';

interface MatteDoors {
  tell(event: ServerEvent): Promise<void>;
  queue(id: string): Promise<void>;
}

/** Mattes that are brought in. */
export class MatteService {
  constructor(
    private readonly files: Files,
    private readonly doors: MatteDoors,
  ) {}

  /** Those of a shot that are being read, or could not be. */
  async list(shotId: string): Promise<MatteView[]> {
    await findShot(shotId);
    const rows = await Matte.findAll({ where: { shotId }, order: [['createdAt', 'ASC']] });
    return rows.filter((row) => row.state !== 'done' && row.state !== 'cancelled').map(matteView);
  }

  /** @throws AppError `not_found`, before anything is sent for a shot that is not there. */
  async requireShot(shotId: string): Promise<void> {
    if (!/^[0-9a-f-]{36}$/.test(shotId)) throw new AppError('not_found', 'There is no such shot.');
    await findShot(shotId);
  }

  /** A whole upload becomes a matte that is read next. @throws AppError `not_found` if there is no such shot. */
  async accept(uploadId: string, name: string, shotId: string): Promise<void> {
    await findShot(shotId);
    const row = await Matte.create({ id: randomUUID(), shotId, name: cleanName(name), upload: uploadId });
    await this.doors.queue(row.id);
    await this.changed(row);
  }

  /** A shape's outline becomes a matte next. @throws AppError `not_found`, `no_outline` for a shape that is a matte. */
  async soften(shotId: string, shapeId: string, how: SoftenBody): Promise<MatteView> {
    const shot = await findShot(shotId);
    const found = findShape(shot.document, shapeId);
    if (!found) throw new AppError('not_found', `There is no shape ${shapeId} in this shot.`);
    if (found.shape.matte) throw new AppError('no_outline', 'This shape is a matte already.');
    const row = await Matte.create({ id: randomUUID(), shotId, name: found.shape.name, outline: { shapeId, ...how } });
    await this.doors.queue(row.id);
    return this.changed(row);
  }

  /** Stops reading it, or forgets that it could not be read. @throws AppError `not_found`. */
  async dismiss(id: string): Promise<MatteView> {
    const row = await Matte.findByPk(id);
    if (!row) throw new AppError('not_found', `There is no matte ${id}.`);
    await cancelWork(row);
    if (row.state === 'failed') await row.update({ state: 'cancelled', error: null });
    if (row.state === 'cancelled') await dropUpload(this.files, row);
    return this.changed(row);
  }

  /**
   * One of its frames. It is there as soon as its file is, which is before its work says so: the document already has it then.
   * @throws AppError `not_found`.
   */
  async picture(id: string, frame: number): Promise<RasterPatch> {
    const path = this.files.matte(id);
    if (!existsSync(path)) throw new AppError('not_found', `There is no matte ${id}.`);
    const none = { rect: { x: 0, y: 0, width: 0, height: 0 }, values: new Uint8Array() };
    return rasterFile(path)(frame) ?? none;
  }

  private async changed(row: Matte): Promise<MatteView> {
    await this.doors.tell({ kind: 'matte', id: row.id, shotId: row.shotId });
    return matteView(row);
  }
}

/** Removes what was uploaded, once it has been read or given up. */
export async function dropUpload(files: Files, row: WorkRow & { upload?: string | null }): Promise<void> {
  if (!row.upload) return;
  for (const name of [row.upload, `${row.upload}.json`]) await rm(join(files.incoming, name), { force: true });
  await row.update({ upload: null });
}
