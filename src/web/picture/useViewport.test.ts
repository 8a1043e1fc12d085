import { expect, it } from '@jest/globals';
import { ref } from 'vue';
import { useViewport } from './useViewport.ts';

const view = (): ReturnType<typeof useViewport> =>
  useViewport(ref({ width: 1020, height: 520 }), ref({ width: 2000, height: 500 }));

it('shows the whole frame in the middle', () => {
  expect(view().place.value).toEqual({ scale: 0.5, left: 10, top: 135 });
});

it('zooms about the pointer: the place under it stays', () => {
  const v = view();
  const before = v.toFrame(300, 200);
  v.zoom(3.7, 300, 200);
  const after = v.toFrame(300, 200);
  expect(after.x).toBeCloseTo(before.x);
  expect(after.y).toBeCloseTo(before.y);
  v.zoom(1e9);
  expect(v.place.value.scale).toBe(32);
  v.fit();
  expect(v.place.value.scale).toBe(0.5);
});

it('counts frame px from the centre of the first', () => {
  const v = view();
  // The frame's corner on the screen is half a px before its first centre.
  expect(v.toFrame(10, 135)).toEqual({ x: -0.5, y: -0.5 });
  v.pan(7, -3);
  expect(v.toFrame(17, 132)).toEqual({ x: -0.5, y: -0.5 });
});
