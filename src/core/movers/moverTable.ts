import { inClip } from './maskPatch.ts';
import type { Mover } from './movers.ts';

/**
 * Movers, and what stands, as JSON (docs/formats.md): per one its frames and, for each, the rectangle around it (x, y, width, height) and
 * its middle, in px of the clip, whose pixel centres lie at whole numbers.
 * @param factor - Px of the clip per px of the masks.
 */
export function moversJson(movers: readonly Mover[], standing: readonly Mover[], factor: number): string {
  return JSON.stringify({ space: 'px', movers: tableOf(movers, factor), standing: tableOf(standing, factor) });
}

function tableOf(movers: readonly Mover[], factor: number): object[] {
  const place = (v: number): number => Math.round(inClip(v, factor) * 10) / 10;
  return movers.map(({ first, last, best, masks, path }) => ({
    first,
    last,
    best,
    frames: masks.map((m, k) => ({
      frame: first + k,
      box: [m.x * factor, m.y * factor, m.width * factor, m.height * factor],
      middle: [place(path[k].x), place(path[k].y)],
    })),
  }));
}
