import { readdir, readFile, rename, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { TrackedFrame } from '../../core/tracking/followRegion.ts';
import type { Files } from '../files.ts';

/** Per frame of the clip what a track holds on to: x, y, weight of each place; px of the picture as shown. */
type Points = Record<string, number[]>;

/** Places are kept to this part of a px, weights to this part of a whole. */
const PLACES = 10;
const WEIGHTS = 100;

/** Adds what frames of a track held on to, to what is known of its other frames. */
export async function keepPoints(
  files: Files,
  shotId: string,
  trackId: string,
  frames: readonly Pick<TrackedFrame, 'frame' | 'points'>[],
): Promise<void> {
  const path = files.trackPoints(shotId, trackId);
  const points = await read(path);
  for (const { frame, points: list } of frames) {
    points[frame] = list.flatMap(({ x, y, weight }) => [
      Math.round(x * PLACES) / PLACES,
      Math.round(y * PLACES) / PLACES,
      Math.round(weight * WEIGHTS) / WEIGHTS,
    ]);
  }
  await writeFile(`${path}.part`, JSON.stringify(points));
  await rename(`${path}.part`, path);
}

/** What a track held on to at a frame; nothing of a frame that was set by hand or not followed. */
export async function pointsAt(files: Files, shotId: string, trackId: string, frame: number): Promise<number[]> {
  return (await read(files.trackPoints(shotId, trackId)))[frame] ?? [];
}

export async function removePoints(files: Files, shotId: string): Promise<void> {
  for (const name of await readdir(files.tracks)) {
    if (name.startsWith(shotId)) await rm(join(files.tracks, name), { force: true });
  }
}

const read = async (path: string): Promise<Points> =>
  JSON.parse(await readFile(path, 'utf8').catch(() => '{}')) as Points;
