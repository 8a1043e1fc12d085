import { readdir, rm, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { Op } from 'sequelize';
import type { Files } from '../files.ts';
import { removeFound } from '../services/moverOutlines.ts';
import { removePoints } from '../services/trackPoints.ts';
import { Clip } from '../store/clip.ts';
import { Export } from '../store/export.ts';
import { Matte } from '../store/matte.ts';
import { Plate } from '../store/plate.ts';
import { Search } from '../store/search.ts';
import { Shot } from '../store/shot.ts';
import { Take } from '../store/take.ts';

/** An unfinished file that nobody has written to for so long was left by a worker that died, ms. */
const ABANDONED_MS = 3600_000;

/** Removes for good what was deleted longer ago than `keepMs`, with its files; then what dead workers left. */
export async function purge(files: Files, keepMs: number): Promise<void> {
  const deletedAt = { [Op.lt]: new Date(Date.now() - keepMs) };
  const old = { where: { deletedAt }, paranoid: false };
  for (const take of await Take.findAll(old)) await purgeTake(take, files);
  for (const shot of await Shot.findAll(old)) await purgeShot(shot, files);
  for (const clip of await Clip.findAll(old)) await purgeClip(clip, files);
  await removeAbandoned(files.stores);
}

/** A take that others lie on stays until they are gone. */
async function purgeTake(take: Take, files: Files): Promise<void> {
  const above = await Take.count({ where: { beneath: { [Op.contains]: [take.id] } }, paranoid: false });
  if (above > 0) return;
  await rm(files.take(take.id), { recursive: true, force: true });
  await take.destroy({ force: true });
}

async function purgeShot(shot: Shot, files: Files): Promise<void> {
  const where = { shotId: shot.id };
  for (const { id } of await Take.findAll({ where, paranoid: false })) {
    await rm(files.take(id), { recursive: true, force: true });
  }
  for (const { id } of await Export.findAll({ where })) {
    await rm(files.exportFolder(id), { recursive: true, force: true });
  }
  for (const { id } of await Matte.findAll({ where })) await rm(files.matte(id), { force: true });
  for (const { id } of await Plate.findAll({ where })) {
    for (const path of files.plateFiles(id)) await rm(path, { force: true });
  }
  await removePoints(files, shot.id);
  for (const { id } of await Search.findAll({ where })) await removeFound(files, id);
  await shot.destroy({ force: true });
}

async function purgeClip(clip: Clip, files: Files): Promise<void> {
  for (const shot of await Shot.findAll({ where: { clipId: clip.id }, paranoid: false })) await purgeShot(shot, files);
  const { hash } = clip;
  await clip.destroy({ force: true });
  // The same bytes may have been added again since.
  if (!hash || (await Clip.count({ where: { hash }, paranoid: false })) > 0) return;
  for (const path of [files.clip(hash, clip.extension), files.proxy(hash), files.strip(hash)]) {
    await rm(path, { force: true });
  }
  for (const name of await readdir(files.stores)) {
    if (name.startsWith(hash)) await rm(join(files.stores, name), { recursive: true, force: true });
  }
}

async function removeAbandoned(stores: string): Promise<void> {
  for (const folder of await readdir(stores)) {
    for (const name of await readdir(join(stores, folder)).catch(() => [])) {
      const path = join(stores, folder, name);
      const touched = name.endsWith('.part')
        ? await stat(path).then(
            (s) => s.mtimeMs,
            () => Infinity,
          )
        : Infinity;
      if (Date.now() - touched > ABANDONED_MS) await rm(path, { force: true });
    }
  }
}
