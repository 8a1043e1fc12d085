import { randomUUID } from 'node:crypto';
import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import type { ServerEvent } from '../../contract/events.ts';
import type { ExportBody, ExportKind, ExportView } from '../../contract/takes.ts';
import { AppError } from '../../core/errors.ts';
import type { Files } from '../files.ts';
import { Export, exportView } from '../store/export.ts';
import { cancelWork } from '../store/work.ts';
import { picksInOrder, picksOf } from './layers.ts';
import { findShot } from './shots.ts';

const ENDINGS: Record<ExportKind, string> = {
  ffv1: '_clean.mkv',
  h264: '_clean.mp4',
  png: '_clean_png.zip',
  fill: '_fill.mkv',
  matte: '_matte.mkv',
  matte_png: '_matte_png.zip',
};

interface ExportDoors {
  tell(event: ServerEvent): Promise<void>;
  queue(id: string): Promise<void>;
}

/** Files to take away, as the API knows them. */
export class ExportService {
  constructor(
    private readonly files: Files,
    private readonly doors: ExportDoors,
  ) {}

  async list(shotId: string): Promise<ExportView[]> {
    await findShot(shotId);
    return (await Export.findAll({ where: { shotId }, order: [['createdAt', 'DESC']] })).map(exportView);
  }

  /** @throws AppError `no_pick` if there is nothing to export yet. */
  async create(shotId: string, { kind, removalId }: ExportBody): Promise<ExportView> {
    const shot = await findShot(shotId);
    const removal = removalId === undefined ? undefined : shot.document.removals[removalId];
    if (removalId !== undefined && !removal) throw new AppError('not_found', `There is no removal ${removalId} here.`);
    const picks = await picksOf(shotId);
    const missing = removalId === undefined ? picksInOrder(shot.document, picks).length === 0 : !picks.has(removalId);
    if (missing && !kind.startsWith('matte')) {
      throw new AppError('no_pick', 'There is no finished take to export. Run a take first, or pick one.');
    }
    const base = safeName(removal ? `${shot.name} ${removal.name}` : shot.name);
    const fileName = base + ENDINGS[kind];
    const row = await Export.create({ id: randomUUID(), shotId, kind, removalId: removalId ?? null, fileName });
    await this.doors.queue(row.id);
    return this.changed(row);
  }

  async cancel(id: string): Promise<ExportView> {
    const row = await findExport(id);
    await cancelWork(row);
    return this.changed(row);
  }

  async remove(id: string): Promise<void> {
    const row = await findExport(id);
    await row.destroy();
    await rm(this.files.exportFolder(id), { recursive: true, force: true });
    await this.doors.tell({ kind: 'export', id, shotId: row.shotId });
  }

  /** Where the file lies, and the name to save it under. @throws AppError `not_ready`. */
  async file(id: string): Promise<{ path: string; name: string }> {
    const row = await findExport(id);
    if (row.state !== 'done') throw new AppError('not_ready', 'This export is not finished yet.');
    return { path: join(this.files.exportFolder(id), row.fileName), name: row.fileName };
  }

  private async changed(row: Export): Promise<ExportView> {
    await this.doors.tell({ kind: 'export', id: row.id, shotId: row.shotId });
    return exportView(row);
  }
}

async function findExport(id: string): Promise<Export> {
  const row = await Export.findByPk(id);
  if (!row) throw new AppError('not_found', `There is no export ${id}. It may have been deleted.`);
  return row;
}

/** A name that every file system takes. */
export function safeName(name: string): string {
  const plain = name
    .normalize('NFC')
    .replace(/[^\p{L}\p{N}_.-]+/gu, '_')
    .replace(/^[_.]+|[_.]+$/g, '');
  return plain.slice(0, 120) || 'shot';
}
