import { Looks } from '../behind/looks.ts';
import type { Trail } from '../behind/passages.ts';
import type { FrameReader } from '../image/format.ts';
import { patchOf, type MaskPatch } from '../movers/maskPatch.ts';
import { paintedFrames, smallFormat } from './frames.ts';

export const W = 160;
export const H = 60;
export const COUNT = 60;
/** Columns that a hole hides in every frame. */
export const HOLE = { from: 66, to: 94 };

/** Somebody who goes from side to side, of one colour, and whose head nods once in so many frames. */
export interface Goer {
  left(t: number): number;
  top: number;
  width: number;
  height: number;
  luma: number;
  nods?: number;
}

export const toTheRight: Goer = { left: (t) => 10 + 2 * t, top: 10, width: 12, height: 22, luma: 200, nods: 12 };
export const toTheLeft: Goer = { left: (t) => 140 - 2 * t, top: 30, width: 12, height: 22, luma: 110 };

/** The nod's depth, px: 0 .. 3 and back. */
export const nod = ({ nods }: Goer, t: number): number =>
  nods ? Math.round(1.5 - 1.5 * Math.cos((2 * Math.PI * t) / nods)) : 0;

export function covers(goer: Goer, t: number, x: number, y: number): boolean {
  const u = x - goer.left(t);
  const v = y - goer.top;
  return u >= 0 && u < goer.width && v >= (u < goer.width / 2 ? 2 * nod(goer, t) : 0) && v < goer.height;
}

export function paintedGoers(goers: readonly Goer[]): FrameReader {
  return paintedFrames(smallFormat(W, H), COUNT, (x, y, _, t) => {
    const goer = goers.find((g) => covers(g, t, x, y));
    return goer ? goer.luma + 20 * Math.sin(x - goer.left(t)) * Math.cos(y / 2) : 40 + ((x * 7 + y * 13) % 9);
  });
}

export const isHidden = (x: number): boolean => x >= HOLE.from && x < HOLE.to;

export const looksAt = (goers: readonly Goer[]): Looks =>
  new Looks(
    paintedGoers(goers),
    paintedFrames(smallFormat(W, H), COUNT, (x) => (isHidden(x) ? 255 : 0)),
  );

/** What is seen of somebody in a frame. */
export function seenOf(goer: Goer, t: number): MaskPatch {
  const px: number[] = [];
  for (let y = 0; y < H; y++) for (let x = 0; x < W; x++) if (!isHidden(x) && covers(goer, t, x, y)) px.push(y * W + x);
  return patchOf(px, W);
}

/** A trail that follows whoever is said to be followed at a time. */
export function trailOf(who: (t: number) => Goer): Trail {
  const bodies = new Map(
    Array.from({ length: COUNT }, (_, t) => [t, seenOf(who(t), t)] as const).filter(([, mask]) => mask.width > 0),
  );
  return { bodies, wholes: bodies };
}
