import type { ClipView } from '../../contract/clips.ts';
import type { TakeView } from '../../contract/takes.ts';
import { urls } from '../api/client.ts';

/** What is looked at: the footage, or a take by its id. */
export type Subject = 'original' | (string & {});

/** An all-intra copy at a smaller size, from which frames are played. */
export interface ProxyFile {
  kind: 'proxy';
  url: string;
  /** Frames per second. */
  rate: number;
  /** Frame of the clip that is the copy's first, and how many it has. */
  first: number;
  count: number;
}

/** A frame by itself. */
export interface Still {
  kind: 'still';
  url: string;
}

/** A frame of a subject, and where it is to be had: the first of the sources that gives it counts. */
export interface Picture {
  frame: number;
  sources: (ProxyFile | Still)[];
  /** Address of the frame at full size. */
  sharp: string;
}

/** The longer side of a proxy, px. */
const PROXY_SIDE = 960;

/** Where a frame of the footage, or of a take, is to be had; where a take has nothing, it is the footage. */
export function pictureOf(clip: ClipView, take: TakeView | undefined, frame: number): Picture {
  const { num, den } = clip.info!.rate;
  const rate = num / den;
  const footage: ProxyFile = { kind: 'proxy', url: urls.clipProxy(clip.id), rate, first: 0, count: clip.info!.frames };
  if (!take || !isFinished(take, frame)) return { frame, sources: [footage], sharp: urls.clipFrame(clip.id, frame) };
  const url = urls.takeFrame(take, frame);
  // A take at work, or just trimmed by hand, has no proxy yet: its frames are fetched one by one.
  const proxy: ProxyFile = { kind: 'proxy', url: urls.takeProxy(take), rate, first: take.first, count: take.count };
  return { frame, sources: [...(take.playable ? [proxy] : []), { kind: 'still', url }, footage], sharp: url };
}

/** px of a proxy per px of the frame. */
export function proxyScale(clip: ClipView): number {
  const { width, height } = clip.info!;
  return Math.min(1, PROXY_SIDE / Math.max(width, height));
}

export const isFinished = (take: TakeView, frame: number): boolean =>
  take.finished.some(([a, b]) => frame >= a && frame <= b);
