import { readFile, rm, writeFile } from 'node:fs/promises';
import { deserialize, serialize } from 'node:v8';
import type { MoverOutlines } from '../../contract/movers.ts';
import type { CameraMotionData } from '../../core/motion/cameraMotion.ts';
import type { Mover } from '../../core/movers/movers.ts';
import type { Files } from '../files.ts';

/** Masks that a search found, in frames of the clip, with shadows and without, as they are kept for the coverage watch. */
export type FoundMasks = (Pick<Mover, 'first' | 'masks'> & { bodies?: Mover['masks']; stands?: boolean })[];

/** Outlines of a mover, with its shadow and without. */
export interface FoundOutlines {
  whole: MoverOutlines;
  body: MoverOutlines;
}

export async function writeMasks(files: Files, searchId: string, masks: FoundMasks): Promise<void> {
  await writeFile(files.search(searchId, 'masks'), serialize(masks));
}

/** @returns None if the search has been forgotten meanwhile. */
export async function readMasks(files: Files, searchId: string): Promise<FoundMasks> {
  const bytes = await readFile(files.search(searchId, 'masks')).catch(() => undefined);
  return bytes ? (deserialize(bytes) as FoundMasks) : [];
}

/** The camera's motion in px of the small frames, frame 0 being the first that was searched. */
export async function writeCamera(files: Files, searchId: string, camera: CameraMotionData): Promise<void> {
  await writeFile(files.search(searchId, 'camera'), serialize(camera));
}

/** @returns None if the search has been forgotten, or was done before cameras were kept. */
export async function readCamera(files: Files, searchId: string): Promise<CameraMotionData | undefined> {
  const bytes = await readFile(files.search(searchId, 'camera')).catch(() => undefined);
  if (!bytes) return undefined;
  const camera = deserialize(bytes) as CameraMotionData & { scenes?: Uint32Array };
  // Searches made before cuts were told apart took every shot for one scene.
  return { ...camera, scenes: camera.scenes ?? new Uint32Array(camera.count) };
}

export async function removeFound(files: Files, searchId: string): Promise<void> {
  for (const kind of ['json', 'masks', 'camera'] as const) await rm(files.search(searchId, kind), { force: true });
}
