import { mkdtemp, readdir, rm } from 'node:fs/promises';
import { hostname, tmpdir } from 'node:os';
import { join } from 'node:path';
import { isRunning } from '../media/alive.ts';
import { requireRoom } from '../media/room.ts';

/** Folders are named by who works in them: host, then process. */
const OURS = `mnestra-${hostname()}-`;

/** Runs `work` with a folder of its own, which is gone afterwards; its disk must have `bytes` free. */
export async function inScratch<T>(bytes: number, purpose: string, work: (folder: string) => Promise<T>): Promise<T> {
  const folder = await scratchFolder(bytes, purpose);
  try {
    return await work(folder);
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

/**
 * Makes a folder to work in, whose disk has `bytes` free. It is the caller's to remove.
 * @throws AppError `disk_full`.
 */
export async function scratchFolder(bytes: number, purpose: string): Promise<string> {
  const place = process.env.MNESTRA_SCRATCH ?? tmpdir();
  await sweep(place);
  await requireRoom(
    place,
    bytes,
    `${purpose} in ${place}`,
    'Make room, or set MNESTRA_SCRATCH to a folder on a larger disk.',
  );
  return mkdtemp(join(place, `${OURS}${process.pid}-`));
}

/** Takes away what processes of this host left behind that were killed: gigabytes, each of them. */
async function sweep(place: string): Promise<void> {
  for (const name of await readdir(place)) {
    const pid = name.startsWith(OURS) ? Number.parseInt(name.slice(OURS.length), 10) : NaN;
    if (pid > 0 && !isRunning(pid)) await rm(join(place, name), { recursive: true, force: true });
  }
}
