import { isOff, ranked, type RemovalNode } from '../../../contract/document.ts';
import type { Ease } from '../../../core/shapes/shape.ts';
import { laneKeys, lanesOf, TRIM_LANE } from '../../document/keyGroups.ts';
import { matteSpan } from './mattesStore.ts';

/** A row of keys on the strip. */
export interface Lane {
  id: string;
  name: string;
  kind: 'shape' | 'hold' | 'trim';
  keys: Record<string, { ease: Ease }>;
  /** Frames over which it counts; without them all. */
  visible?: { from: number; to: number };
  /** A variant that does not count. */
  off: boolean;
}

/** A removal's shapes, and its hand trim below them if it has one. */
export function stripLanes(removal: RemovalNode): Lane[] {
  const shapes = Object.fromEntries(ranked(removal.shapes));
  return lanesOf(removal).map((id): Lane => {
    const keys = laneKeys(removal, id)!;
    if (id === TRIM_LANE) return { id, name: 'Trim by hand', kind: 'trim', keys, off: false };
    const shape = shapes[id];
    const kind = shape.operation === 'hold' ? 'hold' : 'shape';
    return { id, name: shape.name, kind, keys, visible: shape.visible ?? matteSpan(shape), off: isOff(shape) };
  });
}
