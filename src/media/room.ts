import { statfs } from 'node:fs/promises';
import { AppError } from '../core/errors.ts';

/** @throws AppError `disk_full` if a folder's disk has less free than `needed` bytes. */
export async function requireRoom(folder: string, needed: number, purpose: string, remedy: string): Promise<void> {
  const { bavail, bsize } = await statfs(folder);
  if (bavail * bsize >= needed) return;
  throw new AppError(
    'disk_full',
    `${purpose} needs ${sizeText(needed)} of disk space; ${sizeText(bavail * bsize)} are free. ${remedy}`,
  );
}

const sizeText = (bytes: number): string =>
  bytes < 2 ** 30 ? `${Math.ceil(bytes / 2 ** 20)} MiB` : `${(bytes / 2 ** 30).toFixed(1)} GiB`;
