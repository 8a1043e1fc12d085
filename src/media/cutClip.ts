import type { ClipInfo } from './probe.ts';

/** A clip cut to `count` frames from `first`: its facts, as if it were a clip of its own. */
export function cutClip(clip: ClipInfo, first: number, count: number): ClipInfo {
  const begin = clip.times[first];
  const times = clip.times.slice(first, first + count).map((t) => t - begin);
  const end = first + count < clip.frames ? clip.times[first + count] : clip.duration;
  return { ...clip, frames: count, start: clip.start + begin, times, duration: end - begin };
}
