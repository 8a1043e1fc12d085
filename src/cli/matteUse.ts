import { rm } from 'node:fs/promises';
import type { FrameFormat } from '../core/image/format.ts';
import type { Removal, Shape } from '../core/shapes/shape.ts';
import { DrawnMattes } from '../media/drawnMattes.ts';
import { planeRaster } from '../media/rasterFile.ts';
import { RawStore } from '../media/rawStore.ts';

/** How a matte is used: its edge moved outward and faded outward, px, and the frame at which its first one lies. */
export interface MatteUse {
  grow: number;
  feather: number;
  begins?: number;
}

export const isAsItIs = ({ grow, feather, begins }: MatteUse): boolean =>
  grow === 0 && feather === 0 && begins === undefined;

/**
 * Writes mattes as they are used: the first plane grown, feathered and moved in time, what is held out (the second one) as it is.
 *
 * @param count - Frames to write.
 */
export async function useMatte(
  from: { path: string; format: FrameFormat },
  out: string,
  count: number,
  { grow, feather, begins = 0 }: MatteUse,
  signal: AbortSignal,
): Promise<void> {
  const store = new RawStore(from.path, from.format);
  const shape = (plane: number, start: number): Shape => ({
    id: '',
    name: '',
    kind: 'matte',
    operation: plane === 0 ? 'add' : 'hold',
    keys: [],
    raster: { frames: planeRaster(store, plane), start, pace: 1, count: store.count },
  });
  const shapes = [shape(0, begins), ...(from.format.planes.length > 1 ? [shape(1, begins)] : [])];
  const edge = { grow, featherIn: 0, featherOut: feather, holdGrow: 0, holdFeather: 0 };
  const removal: Removal = { id: '', name: '', hidden: false, ...edge, shapes };
  const { width, height } = from.format;
  try {
    await new DrawnMattes({ removal, width, height, rotation: 0, count }).write(out, signal);
  } finally {
    store.close();
  }
  await rm(from.path);
}
