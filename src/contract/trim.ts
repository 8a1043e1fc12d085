import type { Trim, TrimKey } from '../core/fill/trim.ts';
import type { Ease } from '../core/shapes/shape.ts';
import { frameNumbers, type ShotDocument } from './document.ts';

/** A removal's hand trim, by frame of the clip; moved in px of the picture as shown. */
export type TrimNode = Record<string, Trim & { ease: Ease }>;

export const TRIM_LIMITS: Readonly<Record<keyof Trim, readonly [number, number]>> = {
  exposure: [-4, 4],
  warmth: [-90, 90],
  tint: [-100, 100],
  saturation: [0, 300],
  opacity: [0, 100],
  dx: [-500, 500],
  dy: [-500, 500],
};

/** Keys in order, frames counted from `first`. */
export const trimKeys = (node: TrimNode | undefined, first = 0): TrimKey[] =>
  frameNumbers(node ?? {}).map((frame) => ({ frame: frame - first, ...node![frame] }));

/** Hand trims by removal; those without any are left out. */
export type Trims = Record<string, TrimNode>;

export function trimsOf({ removals }: ShotDocument, ids: readonly string[] = Object.keys(removals)): Trims {
  const entries = ids.flatMap((id): [string, TrimNode][] => {
    const trim = (removals[id] as ShotDocument['removals'][string] | undefined)?.trim;
    return trim && Object.keys(trim).length > 0 ? [[id, trim]] : [];
  });
  return Object.fromEntries(entries);
}

/** As text: equal texts, equal pictures of the same takes; empty if there are none. */
export function trimsText(trims: Trims): string {
  const keys = Object.keys(trims)
    .sort()
    .map((id) => [id, trimKeys(trims[id])]);
  return keys.length > 0 ? JSON.stringify(keys) : '';
}
