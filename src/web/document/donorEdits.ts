import { toShape, type RemovalNode, type ShotDocument, type TakeSettings } from '../../contract/document.ts';
import { FILL_DEFAULTS, type Donor } from '../../core/fill/settings.ts';
import { pathAt } from '../../core/shapes/interpolate.ts';

/** Room between a thing and the donor beside it, px. */
const GAP = 8;
/** Where nothing is outlined at the frame, px. */
const SOMEWHERE = 100;

/** Where a person looks: a frame, and the width of the clip's picture, px. */
export interface Sight {
  frame: number;
  width: number;
}

/** A donor right beside what a removal outlines at a frame, on the side on which the picture goes on farther. */
export function startingDonor({ shapes }: RemovalNode, tracks: ShotDocument['tracks'], sight: Sight): Donor {
  const { frame, width } = sight;
  const xs = Object.entries(shapes).flatMap(([id, node]) => {
    if (node.operation !== 'add' || node.matte) return [];
    return (pathAt(toShape(id, node, 0, tracks), frame) ?? []).map((p) => p.x);
  });
  if (xs.length === 0) return { frame, dx: SOMEWHERE, dy: 0 };
  const [left, right] = [Math.min(...xs), Math.max(...xs)];
  const side = left > width - right ? -1 : 1;
  return { frame, dx: side * Math.round(right - left + GAP), dy: 0 };
}

/** Has a removal of a draft filled from a donor before all else: it is chosen because nothing else will do. */
export function fillFromDonor({ removals, tracks }: ShotDocument, removalId: string, sight: Sight): void {
  const removal = removals[removalId];
  const settings: TakeSettings = removal.settings;
  settings.sources = ['donor', ...(settings.sources ?? FILL_DEFAULTS.sources).filter((kind) => kind !== 'donor')];
  settings.donor ??= startingDonor(removal, tracks, sight);
}
