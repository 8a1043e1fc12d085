import type { FrameFormat, FrameReader } from '../image/format.ts';
import type { MaskPatch } from '../movers/maskPatch.ts';
import type { MotionCue } from '../outline/motionCue.ts';
import { diceFrom } from './random.ts';

export const W = 96;
export const H = 64;
/** A textured ground with a brighter, textured ball at a place per frame. */
export class Ball implements FrameReader {
  readonly format: FrameFormat = {
    width: W,
    height: H,
    depth: 8,
    planes: [
      { width: W, height: H, stepX: 1, stepY: 1 },
      { width: W / 2, height: H / 2, stepX: 2, stepY: 2 },
      { width: W / 2, height: H / 2, stepX: 2, stepY: 2 },
    ],
    colourPlanes: 3,
  };
  readonly planes: Uint8Array[][];

  constructor(readonly places: readonly ({ x: number; y: number } | undefined)[]) {
    const random = diceFrom(3);
    const ground = Uint8Array.from({ length: W * H }, () => 70 + 30 * random());
    const skin = Uint8Array.from({ length: W * H }, () => 150 + 40 * random());
    this.planes = places.map((at) =>
      [ground.slice(), new Uint8Array((W * H) / 4).fill(128), new Uint8Array((W * H) / 4).fill(118)].map((plane, p) => {
        const half = p === 0 ? 1 : 2;
        for (let i = 0; i < plane.length && at; i++) {
          const [x, y] = [(i % (W / half)) * half, Math.floor(i / (W / half)) * half];
          if (!inBall(at, x, y)) continue;
          plane[i] = p === 0 ? skin[(y - at.y + 20) * W + x - at.x + 20] : p === 1 ? 110 : 160;
        }
        return plane;
      }),
    );
  }

  get count(): number {
    return this.places.length;
  }

  readRows(frame: number, plane: number, y: number, rows: number, into: Uint8Array): void {
    const { width } = this.format.planes[plane];
    into.set(this.planes[frame][plane].subarray(y * width, (y + rows) * width));
  }
}

export const inBall = (c: { x: number; y: number }, x: number, y: number): boolean =>
  (x - c.x) ** 2 + (y - c.y) ** 2 <= 12 ** 2;

export function ballMask(c: { x: number; y: number }): MaskPatch {
  const data = new Uint8Array(W * H);
  for (let i = 0; i < data.length; i++) data[i] = inBall(c, i % W, Math.floor(i / W)) ? 1 : 0;
  return { x: 0, y: 0, width: W, height: H, data };
}

/** What moves, above a background of which nothing is known. */
export const cueOf = (rest: Float32Array): MotionCue => ({
  step: 1,
  width: W,
  height: H,
  rest,
  shade: new Float32Array(W * H),
  background: new Float32Array(3 * W * H).fill(NaN),
});
