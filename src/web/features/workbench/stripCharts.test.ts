import { expect, it } from '@jest/globals';
import type { RevealData } from '../../../contract/takes.ts';
import { memoryPaths } from './stripCharts.ts';

const frame = (seen: number, thin: number, unseen: number): RevealData['frames'][number] => ({
  hole: seen + thin + unseen,
  seen,
  thin,
  unseen,
  x: 0,
  y: 0,
  width: 0,
  height: 0,
  offset: 0,
});

it('stacks seen and thin above the base and hangs never seen below, in shares of the largest hole', () => {
  const data = { first: 5, frames: [frame(100, 0, 0), frame(50, 25, 25)] } as RevealData;
  const paths = memoryPaths(data, (f) => f * 10, 40, 40, 20);
  expect(paths.largest).toBe(100);
  // Two columns of ten px from frame 5: one of full height, one of half.
  expect(paths.seen).toBe('M50,0L60,0L60,20L70,20L70,20L70,40L70,40L60,40L60,40L50,40Z');
  expect(paths.unseen).toContain('L60,45');
  expect(paths.thin).toContain('L60,10');
});
