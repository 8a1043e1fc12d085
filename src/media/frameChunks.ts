import type { FrameChoice, SourcedFrame } from './engineTasks.ts';

/** Every so many chunks as one. */
export function joined(chunks: readonly [number, number[]][], per: number): [number, number[]][] {
  const out = new Map<number, number[]>();
  for (const [k, frames] of chunks) {
    const n = Math.floor(k / per);
    out.set(n, [...(out.get(n) ?? []), ...frames]);
  }
  return [...out];
}

export const sourced = (frames: readonly number[], choices: readonly FrameChoice[]): SourcedFrame[] =>
  frames.map((frame) => ({ frame, sources: choices[frame].sources }));

export const middleOf = (frames: readonly number[]): number => frames[frames.length >> 1];
