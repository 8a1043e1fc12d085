import type { Ease } from '../../../core/shapes/shape.ts';

/** How a shape goes on from a key, for people. */
export const EASES: { label: string; value: Ease; title: string }[] = [
  { label: 'Straight', value: 'linear', title: 'Goes straight on to the next key' },
  { label: 'Smooth', value: 'smooth', title: 'Goes through its keys without a kink' },
  { label: 'Hold', value: 'hold', title: 'Stays until the next key' },
];
