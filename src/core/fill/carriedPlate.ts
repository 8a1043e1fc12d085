import type { Kernels } from '../../kernels/index.ts';
import type { CarriedMotion } from '../depth/carriedMotion.ts';
import { median } from '../geometry/linear.ts';
import { mostOften } from '../geometry/mostOften.ts';
import type { FrameFormat } from '../image/format.ts';
import { bytesOf } from '../image/mapped.ts';
import { samplePlate, type Plate } from './plate.ts';
import type { Region } from './region.ts';
import { cellDifferences, type CellSums } from './smoothField.ts';

/** How far around a tile it is asked which surface most tiles lie on, tiles. */
const AROUND = 2;
/** Known px of a cell that tell how a plate fits, and by how much surfaces must fit better than the camera's plane does. */
const TELLING = 16;
const BETTER = 0.9;

/** A region of a frame, and its own luma. */
export interface OwnRegion {
  region: Region;
  luma: Float32Array;
}

/**
 * Whether the surfaces behind holes carry a plate to where it fits what is known around them, better than the camera's plane does. Asked
 * once for a plate, of several frames: to change between both from frame to frame is worse than either.
 */
export function isCarriedByDepth(
  kernels: Kernels,
  plate: Plate,
  frames: readonly OwnRegion[],
  motion: CarriedMotion,
  format: FrameFormat,
): boolean {
  let [byDepth, onPlane] = [0, 0];
  for (const { region, luma } of frames) {
    motion.lay(region);
    const lies = motion.surfaces(region.frame);
    if (!lies) continue;
    const used = bytesOf(region.active, (a) => Math.min(1, a));
    const [there, plain] = [lies, undefined].map((surfaces) => {
      const tiles = { wanted: used, used, lies: surfaces };
      const { planes, covers } = samplePlate(kernels, plate, region, tiles, motion, format, 1);
      const both = bytesOf(covers, (c, i) => c & region.known[i]);
      return misfit(cellDifferences(region, format, 0, luma, planes[0], both));
    });
    if (there === undefined || plain === undefined) continue;
    byDepth += there;
    onPlane += plain;
  }
  return byDepth < BETTER * onPlane;
}

/** How much samples differ in most cells, whatever their light: the median of the variance within cells. */
function misfit({ sum, squares, weight }: CellSums): number | undefined {
  const cells = [...weight.keys()].filter((i) => weight[i] >= TELLING);
  return cells.length === 0 ? undefined : median(cells.map((i) => squares[i] / weight[i] - (sum[i] / weight[i]) ** 2));
}

/** By which surface tiles are carried of which no frame shows all: that of most tiles around, for nothing else tells. Others keep theirs. */
export function carriedBy({ cols, rows, active }: Region, lies: Uint8Array, open: Uint8Array): Uint8Array {
  return lies.map((own, i) => {
    if (open[i] === 0) return own;
    const [c, r] = [i % cols, Math.floor(i / cols)];
    const around: number[] = [];
    for (let b = Math.max(0, r - AROUND); b <= Math.min(rows - 1, r + AROUND); b++) {
      for (let a = Math.max(0, c - AROUND); a <= Math.min(cols - 1, c + AROUND); a++) {
        if (active[b * cols + a] > 0) around.push(lies[b * cols + a]);
      }
    }
    return mostOften(around);
  });
}
