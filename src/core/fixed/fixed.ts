import { evenly } from '../evenly.ts';
import type { FrameReader } from '../image/format.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import { fixedAreas } from './fixedAreas.ts';
import type { Fixed } from './stays.ts';
import { steadyEdges } from './steadyEdges.ts';
import { viewsOf, type FreeAt } from './views.ts';

/** Longer side at most of the frames in which it is looked for, px: thin strokes have to be told from what is beside them. */
const LONG_SIDE = 1000;
/** Frames that are looked at. */
const VIEWS = 24;

/** Px of larger frames per px of those in which it is looked for what is fixed to the picture. */
export const stepForFixed = ({ width, height }: { width: number; height: number }): number =>
  Math.ceil(Math.max(width, height) / LONG_SIDE);

/**
 * What is fixed to the picture while the camera moves: logos, time codes, what is mounted to the camera.
 *
 * @param frames - No larger than {@link stepForFixed} makes them.
 * @param motion - Of the camera, in their px.
 * @returns undefined if nothing is fixed.
 */
export function findFixed(
  frames: FrameReader,
  motion: CameraMotion,
  isFree: FreeAt,
): Pick<Fixed, 'mask' | 'paint'> | undefined {
  const asked = evenly([...Array(frames.count).keys()], VIEWS);
  const views = viewsOf(frames, asked, isFree);
  const { width } = frames.format;
  return fixedAreas(steadyEdges(views, width, motion), { views, width, motion });
}
