import type { SourceBudget } from '../core/reveal/chooseSources.ts';

/** What sources are chosen for: nothing of note, depth behind the holes, or people who pass before them. */
export type SourcesFor = 'plain' | 'depth' | 'crowd';

/**
 * Sources of a frame. Some more where there is depth: they are chosen by what the camera's plane says, which is not where they show what
 * lies behind a hole. And where people pass before many of them: they are outvoted.
 */
export const SOURCES: Record<'full' | 'draft', Record<SourcesFor, SourceBudget>> = {
  full: {
    plain: { most: 9, enough: 6, more: 4 },
    depth: { most: 16, enough: 10, more: 8 },
    crowd: { most: 9, enough: 6, more: 8, apart: { most: 16, enough: 10 } },
  },
  draft: {
    plain: { most: 5, enough: 3, more: 4 },
    depth: { most: 5, enough: 3, more: 4 },
    crowd: { most: 5, enough: 3, more: 4, apart: { most: 12, enough: 8 } },
  },
};
