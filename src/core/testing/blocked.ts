import { BlockedCells } from '../image/blockedCells.ts';
import type { FrameReader } from '../image/format.ts';

/** Cells of one px that must not be used. */
export function blockedCells(
  { count, format: { width, height } }: Pick<FrameReader, 'count' | 'format'>,
  isBlocked: (frame: number, x: number, y: number) => boolean = () => false,
): BlockedCells {
  const state = new Uint8Array(count * width * height);
  for (let t = 0, i = 0; t < count; t++) {
    for (let y = 0; y < height; y++) for (let x = 0; x < width; x++, i++) state[i] = isBlocked(t, x, y) ? 1 : 0;
  }
  return new BlockedCells(width, height, 1, state);
}
