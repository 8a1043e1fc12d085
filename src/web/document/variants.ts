import { isOff, nextRank, ranked, type RemovalNode } from '../../contract/document.ts';

/** Variants: shapes of a removal of which one counts at a time, such as a loose and a tight outline. */

/** Makes another variant of a shape, which then is the one that counts. @returns Its id. */
export function addVariant(removal: RemovalNode, shapeId: string): string {
  const shape = removal.shapes[shapeId];
  const of = shape.variant?.of ?? crypto.randomUUID();
  shape.variant = { of, off: false };
  const id = crypto.randomUUID();
  const count = variantsOf(removal, shapeId).length;
  removal.shapes[id] = {
    ...structuredClone(shape),
    name: `${shape.name.replace(/, variant \d+$/, '')}, variant ${count + 1}`,
    rank: nextRank(removal.shapes),
  };
  useVariant(removal, id);
  return id;
}

/** Lets one variant count, and none of the others. */
export function useVariant(removal: RemovalNode, shapeId: string): void {
  for (const id of variantsOf(removal, shapeId)) {
    const { variant } = removal.shapes[id];
    if (variant) variant.off = id !== shapeId;
  }
}

/** Deletes a shape; if it was the variant that counts, the next one does. */
export function removeShape(removal: RemovalNode, shapeId: string): void {
  const next = nextVariant(removal, shapeId);
  const counted = !isOff(removal.shapes[shapeId]);
  delete removal.shapes[shapeId];
  if (counted && next !== undefined) useVariant(removal, next);
}

/** The variant after the one that counts, in their order; undefined if the shape has none. */
export function nextVariant(removal: RemovalNode, shapeId: string): string | undefined {
  const ids = variantsOf(removal, shapeId);
  if (ids.length < 2) return undefined;
  const on = ids.findIndex((id) => !isOff(removal.shapes[id]));
  return ids[(on + 1) % ids.length];
}

/** The variant that counts in a shape's place; undefined if the shape itself counts, or is gone. */
export function inPlaceOf(removal: RemovalNode | undefined, shapeId: string): string | undefined {
  const shape = removal?.shapes[shapeId];
  if (!shape || !isOff(shape)) return undefined;
  return variantsOf(removal, shapeId).find((id) => !isOff(removal.shapes[id]));
}

/** Ids of a shape's variants, itself among them. */
function variantsOf(removal: RemovalNode, shapeId: string): string[] {
  const of = removal.shapes[shapeId]?.variant?.of;
  return of === undefined ? [shapeId] : ranked(removal.shapes).flatMap(([id, s]) => (s.variant?.of === of ? [id] : []));
}
