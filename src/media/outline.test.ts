import { describe, expect, it } from '@jest/globals';
import { enlarge } from '../core/movers/enlarge.ts';
import { areaOf, union, type MaskPatch } from '../core/movers/maskPatch.ts';
import { drawMatte } from '../core/shapes/matte.ts';
import { MOST_POINTS, outlineOf, outlinesOf } from './outline.ts';

const box = (x: number, y: number, width: number, height: number): MaskPatch => ({
  x,
  y,
  width,
  height,
  data: new Uint8Array(width * height).fill(1),
});

describe('outlineOf', () => {
  it('follows the edges of the px of a box', () => {
    const path = outlineOf(box(2, 3, 5, 4), 4, 0.5);
    const xs = path.map((p) => p.x);
    const ys = path.map((p) => p.y);
    expect([Math.min(...xs), Math.max(...xs)]).toEqual([7.5, 27.5]);
    expect([Math.min(...ys), Math.max(...ys)]).toEqual([11.5, 27.5]);
    expect(path.length).toBeLessThanOrEqual(8);
  });

  it('is one path for parts that lie apart, and drawn as a matte it covers the mask again', () => {
    const mask = union(box(5, 5, 12, 20), box(20, 22, 14, 5));
    const points = outlineOf(mask, 4, 1).map((p) => ({ ...p, inX: 0, inY: 0, outX: 0, outY: 0 }));
    const keys = [{ frame: 0, ease: 'linear' as const, points }];
    const shape = { id: 's', name: '', kind: 'path' as const, operation: 'add' as const, keys };
    const edges = { grow: 0, featherIn: 0, featherOut: 0, holdGrow: 0, holdFeather: 0 };
    const matte = drawMatte({ id: 'r', name: '', hidden: false, shapes: [shape], ...edges }, 0, 160, 120);
    const drawn = matte.values.reduce((sum, v) => sum + v, 0) / 255;
    expect(drawn / (areaOf(mask) * 16)).toBeCloseTo(1, 1);
    const large = new Uint8Array(160 * 120);
    enlarge(mask, 4, 160, 120, large);
    const [x, y] = [26 * 4, 24 * 4];
    expect(large[y * 160 + x]).toBe(255);
    expect(matte.values[(y - matte.rect.y) * matte.rect.width + x - matte.rect.x]).toBe(255);
  });

  it('stays within the points that can be worked on, however ragged the mask', () => {
    const data = Uint8Array.from({ length: 200 * 40 }, (_, i) => (Math.floor(i / 200) > 20 || i % 2 ? 1 : 0));
    const path = outlineOf({ x: 0, y: 0, width: 200, height: 40, data }, 4, 1);
    expect(path.length).toBeGreaterThan(3);
    expect(path.length).toBeLessThanOrEqual(MOST_POINTS);
  });

  it('is one for each part where they need not be one shape, the largest first', () => {
    const two = union(box(2, 3, 2, 2), box(20, 5, 6, 6));
    const ends = outlinesOf(two, 4, 0.5).map((ring) => [
      Math.min(...ring.map((p) => p.x)),
      Math.max(...ring.map((p) => p.x)),
    ]);
    expect(ends).toEqual([
      [79.5, 103.5],
      [7.5, 15.5],
    ]);
    expect(outlinesOf(box(0, 0, 0, 0), 4, 0.5)).toEqual([]);
  });

  it('leaves out specks, but nothing that is as large as can be seen', () => {
    const body = box(20, 5, 60, 60);
    const lefts = (crumb: MaskPatch, factor: number): number =>
      Math.min(...outlineOf(union(body, crumb), factor, 0.5).map((p) => p.x));
    // 3 x 3 px of 4 px of the clip each are 12 px there; of 2 px each they are 6.
    expect(lefts(box(2, 20, 3, 3), 4)).toBe(2 * 4 - 0.5);
    expect(lefts(box(2, 20, 3, 3), 2)).toBe(20 * 2 - 0.5);
    expect(lefts(box(2, 20, 9, 9), 2)).toBe(2 * 2 - 0.5);
  });

  it('is empty for an empty mask', () => {
    expect(outlineOf({ x: 0, y: 0, width: 3, height: 3, data: new Uint8Array(9) }, 4, 1)).toEqual([]);
  });
});
