import { expect, it } from '@jest/globals';
import type { FrameReader } from '../core/image/format.ts';
import { paintedFrames } from '../core/testing/frames.ts';
import { staysMask } from '../core/fixed/stays.ts';
import { staysPerFrame } from '../core/fixed/staysPerFrame.ts';
import { matteFormat } from './decode.ts';
import { StayingMattes } from './stayingMattes.ts';

const [W, H] = [4, 5];
const bars = { left: 1, top: 1, right: 0, bottom: 2 };
const stays = staysPerFrame(staysMask({ bars }, { width: W, height: H }), W, undefined);

const rowsOf = (mattes: FrameReader, plane: number, y: number, rows: number): number[][] => {
  // Room for more than is asked for, which must stay as it is.
  const into = new Uint8Array(W * (rows + 1)).fill(7);
  mattes.readRows(0, plane, y, rows, into);
  expect([...into.subarray(W * rows)]).toEqual([7, 7, 7, 7]);
  return Array.from({ length: rows }, (_, r) => [...into.subarray(r * W, (r + 1) * W)]);
};

it('holds what stays out of mattes, whether anything else is held out or not', () => {
  const plain = new StayingMattes(
    paintedFrames(matteFormat(W, H), 1, () => 255),
    stays,
  );
  const picture = [0, 255, 255, 255];
  expect(rowsOf(plain, 0, 0, H)).toEqual([[0, 0, 0, 0], picture, picture, [0, 0, 0, 0], [0, 0, 0, 0]]);
  expect(rowsOf(plain, 1, 0, 3)).toEqual([
    [255, 255, 255, 255],
    [255, 0, 0, 0],
    [255, 0, 0, 0],
  ]);
  const held = paintedFrames(matteFormat(W, H, true), 1, (x, _y, plane) => (plane === 1 && x === 3 ? 200 : 0));
  expect(rowsOf(new StayingMattes(held, stays), 1, 2, 2)).toEqual([
    [255, 0, 0, 200],
    [255, 255, 255, 255],
  ]);
});

it('fills what lies beside what stays, and takes nothing from there', () => {
  const beside = Uint8Array.from({ length: W * H }, (_, i) => (i === 1 ? 2 : 0));
  const mattes = new StayingMattes(
    paintedFrames(matteFormat(W, H), 1, () => 255),
    staysPerFrame(beside, W, undefined),
  );
  expect(rowsOf(mattes, 0, 0, 1)).toEqual([[255, 255, 255, 255]]);
  expect(rowsOf(mattes, 1, 0, 1)).toEqual([[0, 255, 0, 0]]);
});
