import { expect, it } from '@jest/globals';
import { smallFormat } from '../testing/frames.ts';
import { flickerAgain, withoutFlicker } from './relightRows.ts';

const format = smallFormat(8, 4, true);
const flicker = { step: 2, light: [new Float32Array(2), Float32Array.of(Math.log(1.25), Math.log(0.8))] };

it('luma is scaled about black and colours about grey, row by row', () => {
  const luma = Uint8Array.of(116, 116, 116, 116, 116, 116, 116, 116);
  withoutFlicker(luma, flicker, format, { frame: 1, plane: 0, y: 0, rows: 1 });
  expect(luma[0]).toBe(16 + 80);
  luma.fill(116);
  withoutFlicker(luma, flicker, format, { frame: 1, plane: 0, y: 3, rows: 1 });
  expect(luma[0]).toBe(16 + 125);
  // A row of colours lies between two of luma: here in the middle of a band.
  const colours = Uint8Array.of(168, 88, 128, 128);
  withoutFlicker(colours, flicker, format, { frame: 1, plane: 1, y: 0, rows: 1 });
  expect([...colours]).toEqual([160, 96, 128, 128]);
});

it('a frame whose lamps give their usual light stays as it is', () => {
  const luma = Uint8Array.from({ length: 16 }, (_, i) => 17 * i);
  const before = luma.slice();
  withoutFlicker(luma, flicker, format, { frame: 0, plane: 0, y: 1, rows: 2 });
  expect(luma).toEqual(before);
});

it('what is filled gets the flicker back', () => {
  const rect = { x: 0, y: 2, width: 8, height: 2 };
  const planes = [
    Float32Array.from({ length: 16 }, () => 96),
    new Float32Array(4).fill(160),
    new Float32Array(4).fill(128),
  ];
  flickerAgain(planes, flicker, format, { frame: 1, rect });
  // The last row is beyond the middle of the last band; of colours, both rows of luma are.
  expect(planes[0][8]).toBeCloseTo(16 + 64, 4);
  expect(planes[0][0]).toBeCloseTo(16 + 80 * Math.exp(0.25 * Math.log(1.25) + 0.75 * Math.log(0.8)), 4);
  expect(planes[1][0]).toBeCloseTo(128 + 32 * 0.8, 4);
  expect(planes[2][0]).toBe(128);
});
