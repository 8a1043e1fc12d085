import type { ClipFacts, ClipView } from '../../../contract/clips.ts';

const STAGES: Record<string, string> = {
  waiting: 'waits to be read',
  reading: 'is being read',
  proxy: 'makes a quick copy for the page',
};

/** One line on where a clip's import stands. */
export function importText(clip: ClipView): string {
  const stage = STAGES[clip.stage] ?? 'is being read';
  return clip.stage === 'proxy' ? `${stage}, ${Math.round(clip.progress * 100)} %` : stage;
}

/** One line of what a clip is. */
export function factsText(f: ClipFacts): string {
  const rate = f.rate.num / f.rate.den;
  const fps = `${Number.isInteger(rate) ? rate : rate.toFixed(2)} fps${f.variableRate ? ', uneven' : ''}`;
  return [
    `${f.width} × ${f.height}`,
    `${f.frames} frames`,
    fps,
    `${f.duration.toFixed(1)} s`,
    f.codec,
    f.pixelFormat,
  ].join(' · ');
}

/** Things about a clip that a person should know before working on it. */
export function cautions(f: ClipFacts): string[] {
  const out: string[] = [];
  if (f.interlaced) out.push('interlaced');
  if (f.rotation !== 0) out.push(`turned by ${f.rotation}°`);
  return out;
}

export function sizeText(bytes: number): string {
  const mib = bytes / 2 ** 20;
  if (mib < 1) return `${Math.ceil(bytes / 1024)} KiB`;
  return mib < 1024 ? `${mib.toFixed(1)} MiB` : `${(mib / 1024).toFixed(2)} GiB`;
}
