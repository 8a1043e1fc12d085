import { cellShares } from './cellShares.ts';
import type { Gathered } from './gathered.ts';

/** Share of agreeing weight under which a place is contested, and share of a hole's places that must be. */
const AGREED = 0.7;
const SHARE = 0.1;

/**
 * Whether sources are at odds about much of a hole: people who pass before it in some of them are outvoted by more sources, and
 * what is off the camera's plane is found in more of them.
 */
export function isContested(gathered: Gathered): boolean {
  const known = cellShares(gathered, gathered.region.alpha).filter((v) => !Number.isNaN(v));
  return known.filter((v) => v < AGREED).length > SHARE * known.length;
}
