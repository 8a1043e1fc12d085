import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { requireRoom } from '../media/room.ts';

/** Runs `work` with a folder of its own, which is gone afterwards; its disk must have `bytes` free. */
export async function inScratch<T>(bytes: number, purpose: string, work: (folder: string) => Promise<T>): Promise<T> {
  const folder = await mkdtemp(join(process.env.MNESTRA_SCRATCH ?? tmpdir(), 'mnestra-'));
  try {
    await requireRoom(folder, bytes, purpose, 'Make room, or set MNESTRA_SCRATCH to a folder on a larger disk.');
    return await work(folder);
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}
