import type { Gathered } from './gathered.ts';
import { CELL, offsetGrid } from './offsetGrid.ts';

/** The darkest and the brightest luma that a layer shows in the 3 by 3 cells around some px of its region. */
export interface ShownAround {
  /** How far a luma is from all that is shown around a px, in the planes' levels; 0 within it. Infinite where nothing is shown. */
  beyond: (luma: number, i: number) => number;
}

/** @param isTold - Whether a layer shows a px of the region at all. */
export function shownAround({ region, planes: [luma] }: Gathered, isTold: (i: number) => boolean): ShownAround {
  const { cols, rows } = offsetGrid(region);
  const { width } = region.rect;
  const cellOf = (i: number): [number, number] => [
    Math.floor((i % width) / CELL),
    Math.floor(Math.floor(i / width) / CELL),
  ];
  const [low, high] = [new Float32Array(cols * rows).fill(Infinity), new Float32Array(cols * rows).fill(-Infinity)];
  for (let i = 0; i < luma.length; i++) {
    if (!isTold(i)) continue;
    const [c, r] = cellOf(i);
    const cell = r * cols + c;
    low[cell] = Math.min(low[cell], luma[i]);
    high[cell] = Math.max(high[cell], luma[i]);
  }
  const beyond = (value: number, i: number): number => {
    const [c, r] = cellOf(i);
    let [from, to] = [Infinity, -Infinity];
    for (let b = Math.max(0, r - 1); b <= Math.min(rows - 1, r + 1); b++) {
      for (let cell = b * cols + Math.max(0, c - 1); cell <= b * cols + Math.min(cols - 1, c + 1); cell++) {
        from = Math.min(from, low[cell]);
        to = Math.max(to, high[cell]);
      }
    }
    return Math.max(0, from - value, value - to);
  };
  return { beyond };
}
