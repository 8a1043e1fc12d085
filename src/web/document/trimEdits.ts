import { frameNumbers, type RemovalNode } from '../../contract/document.ts';
import { TRIM_LIMITS, trimKeys } from '../../contract/trim.ts';
import { isNothing, NO_TRIM, TRIM_FIELDS, trimAt, type Trim } from '../../core/fill/trim.ts';
import type { Ease } from '../../core/shapes/shape.ts';

/** The trim that a removal's fill has at a frame. */
export const trimOf = ({ trim }: Pick<RemovalNode, 'trim'>, frame: number): Trim => trimAt(trimKeys(trim), frame);

/** Sets one number at a frame: a key that is there is changed, else one is made that keeps the others as they are. */
export function setTrim(removal: RemovalNode, frame: number, field: keyof Trim, value: number): void {
  const keys = (removal.trim ??= {});
  const before = frameNumbers(keys).filter((f) => f <= frame);
  const ease: Ease = keys[before.at(-1) ?? frameNumbers(keys)[0]]?.ease ?? 'linear';
  const [min, max] = TRIM_LIMITS[field];
  keys[frame] = { ...within(trimOf(removal, frame)), [field]: Math.min(max, Math.max(min, value)), ease };
  // A trim that does nothing anywhere is none.
  if (Object.values(keys).every((key) => isNothing(key)) && Object.keys(keys).length === 1) delete removal.trim;
}

/** A smooth way between keys may lead beyond what a key can hold. */
function within(trim: Trim): Trim {
  const out = { ...NO_TRIM };
  for (const field of TRIM_FIELDS) {
    const [min, max] = TRIM_LIMITS[field];
    out[field] = Math.min(max, Math.max(min, trim[field]));
  }
  return out;
}

/** Takes the key at a frame away; with the last one the trim is gone. */
export function removeTrimKey(removal: RemovalNode, frame: number): void {
  if (!removal.trim) return;
  delete removal.trim[frame];
  if (Object.keys(removal.trim).length === 0) delete removal.trim;
}

/** One trim for all frames: that of the given one. */
export function makeTrimConstant(removal: RemovalNode, frame: number): void {
  if (removal.trim) removal.trim = { [frame]: { ...within(trimOf(removal, frame)), ease: 'linear' } };
}
