import { expect, it } from '@jest/globals';
import { staysPerFrame, type PaintedAt } from './staysPerFrame.ts';

const [W, H] = [4, 5];

it('keeps of what changes what has the colours of the text, with the px around it, in each frame', () => {
  const mask = Uint8Array.from({ length: W * H }, (_, i) => (i < 2 * W ? 3 : 0));
  // In frame 1 the first px of the first row is text.
  const painted: PaintedAt = (frame, { width, height }) =>
    Uint8Array.from({ length: width * height }, (_, i) => (frame === 1 && i === 0 ? 1 : 0));
  const at = staysPerFrame(mask, W, painted);
  expect([...at(1, 0, 3)]).toEqual([1, 1, 2, 2, 1, 1, 2, 2, 0, 0, 0, 0]);
  expect([...at(1, 1, 1)]).toEqual([1, 1, 2, 2]);
  expect([...at(0, 1, 2)]).toEqual([2, 2, 2, 2, 0, 0, 0, 0]);
  expect([...staysPerFrame(mask, W, undefined)(1, 1, 1)]).toEqual([1, 1, 1, 1]);
});
