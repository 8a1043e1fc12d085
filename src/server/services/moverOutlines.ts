import { readFile, rm, writeFile } from 'node:fs/promises';
import { deserialize, serialize } from 'node:v8';
import type { Point } from '../../core/geometry/homography.ts';
import type { CameraMotionData } from '../../core/motion/cameraMotion.ts';
import type { MaskPatch } from '../../core/movers/maskPatch.ts';
import type { Mover } from '../../core/movers/movers.ts';
import { outlineOf } from '../../media/outline.ts';
import { toShown } from '../../media/turn.ts';
import type { Files } from '../files.ts';
import type { StoredClip } from './frameStores.ts';

/** How far an outline may leave the edge of what was found, px of the clip. */
const TOLERANCE_PX = 3;

export const tenth = (v: number): number => Math.round(v * 10) / 10;
export const flat = (points: Point[]): number[] => points.flatMap(({ x, y }) => [tenth(x), tenth(y)]);

/** The outline of a mask of small frames: x0 y0 …, px of the picture as shown. */
export function shownOutline(mask: MaskPatch, factor: number, { info }: StoredClip): number[] {
  const { rotation, width, height } = info;
  return flat(outlineOf(mask, factor, TOLERANCE_PX).map((p) => toShown(p, rotation, width, height)));
}

/** Masks that a search found, in frames of the clip, as they are kept for the coverage watch. */
export type FoundMasks = Pick<Mover, 'first' | 'masks'>[];

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
  return bytes && (deserialize(bytes) as CameraMotionData);
}

export async function removeFound(files: Files, searchId: string): Promise<void> {
  for (const kind of ['json', 'masks', 'camera'] as const) await rm(files.search(searchId, kind), { force: true });
}
