import { area, curveStepAfter, max } from 'd3';
import type { RevealData } from '../../../contract/takes.ts';

export type StripScale = (frame: number) => number;

/** Paths of the memory chart. `base` is the line between remembered (rising) and never seen (hanging), px. */
export interface MemoryPaths {
  seen: string;
  thin: string;
  unseen: string;
  /** Largest hole, px of the frame. */
  largest: number;
}

/**
 * The reveal over time: heights are areas, in shares of the largest hole. Seen and thin are stacked upward from the
 * base, never seen hangs below it.
 */
export function memoryPaths(data: RevealData, x: StripScale, base: number, up: number, down: number): MemoryPaths {
  const largest = max(data.frames, (f) => f.hole) ?? 0;
  const share = (px: number): number => (largest === 0 ? 0 : px / largest);
  // One more entry closes the last frame's column.
  const frames = [...data.frames, data.frames.at(-1)!];
  const shape = (y0: (f: RevealData['frames'][number]) => number, y1: (f: RevealData['frames'][number]) => number) =>
    area<RevealData['frames'][number]>()
      .x((_, i) => x(data.first + i))
      .y0(y0)
      .y1(y1)
      .curve(curveStepAfter)(frames) ?? '';
  return {
    largest,
    seen: shape(
      () => base,
      (f) => base - up * share(f.seen),
    ),
    thin: shape(
      (f) => base - up * share(f.seen),
      (f) => base - up * share(f.seen + f.thin),
    ),
    unseen: shape(
      () => base,
      (f) => base + down * share(f.unseen),
    ),
  };
}

/** A confidence (0..1) over time as columns that rise from `height` to 0; gaps between frames stay empty. */
export function confidencePath(
  entries: readonly { frame: number; c: number }[],
  x: StripScale,
  height: number,
): string {
  return entries
    .map(({ frame, c }) => {
      const [left, right, top] = [x(frame), x(frame + 1), height * (1 - c)];
      return `M${left} ${height}V${top}H${right}V${height}Z`;
    })
    .join('');
}
