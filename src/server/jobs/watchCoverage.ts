import type { CoverageData } from '../../contract/takes.ts';
import { coverageOf, mendOf } from '../../core/coverage/coverage.ts';
import type { FrameFormat } from '../../core/image/format.ts';
import type { DrawnMattes } from '../../media/drawnMattes.ts';
import { smallMasks } from '../../media/matteFile.ts';
import type { Files } from '../files.ts';
import type { StoredClip } from '../services/frameStores.ts';
import { roughOutlines, tenth } from '../../media/shownOutline.ts';
import { readMasks } from '../services/moverOutlines.ts';

/** Thousandths are enough for a share. */
const SHARES = 1000;

interface WatchOptions {
  files: Files;
  clip: StoredClip;
  /** Frame of the clip with which the mattes begin. */
  first: number;
  /** Whether things are watched without their shadows. */
  shadowStays: boolean;
  signal: AbortSignal;
}

/** What of a removal's things sticks out of its mattes, which begin with the clip's frame `first`. */
export async function watchCoverage(
  searchId: string,
  mattes: DrawnMattes,
  small: { format: FrameFormat; factor: number },
  { files, clip, first, shadowStays, signal }: WatchOptions,
): Promise<CoverageData> {
  const last = first + mattes.count - 1;
  // The shot may have been searched with other handles than it has now.
  // What stands is no part of what goes away beside it.
  const moving = (await readMasks(files, searchId)).filter(({ stands }) => !stands);
  const movers = moving.flatMap(({ first: from, masks, bodies }) => {
    const cut = ((shadowStays && bodies) || masks).slice(Math.max(0, first - from), Math.max(0, last + 1 - from));
    return cut.length > 0 ? [{ first: Math.max(from, first) - first, masks: cut }] : [];
  });
  const masks = await smallMasks(mattes, small.format, small.factor, signal);
  const flagged = coverageOf(movers, (frame) => masks[frame]);
  const mend = mendOf(flagged);
  return {
    flagged: flagged.map(({ frame, share, mask }) => ({
      frame: first + frame,
      share: Math.round(share * SHARES) / SHARES,
      outlines: roughOutlines(mask, small.factor, clip.info),
    })),
    mend: mend
      ? { kind: mend.kind, frame: first + mend.frame, px: mend.kind === 'grow' ? tenth(mend.growth * small.factor) : 0 }
      : null,
  };
}
