import type { Kernels } from '../../kernels/index.ts';
import { bytesPerSample, type FrameReader } from '../image/format.ts';
import { SlotCache } from '../image/lru.ts';

/** Long side of the largest image that motion is measured on, px: 1080p is measured at half size. */
const ANALYSIS_LONG_SIDE = 1000;
/** A level is added while its short side stays above this, px. */
const SMALLEST_SIDE = 56;

export interface Level {
  /** Place of the 16-bit plane in kernel memory. */
  at: number;
  width: number;
  height: number;
}

/**
 * Luma pyramids of a shot's frames in kernel memory: level 0 at analysis size, then halves.
 * Sample (i, j) of level n lies at (i, j)·2ⁿ·`scale` of the frame.
 */
export class Pyramids {
  /** Frame px per px of level 0: a power of two. */
  readonly scale: number;
  private readonly cache: SlotCache<Level[]>;

  constructor(
    private readonly kernels: Kernels,
    private readonly frames: FrameReader,
    slots: number,
  ) {
    const { width, height } = frames.format;
    this.scale = analysisScale(width, height);
    const sizes = levelSizes(Math.ceil(width / this.scale), Math.ceil(height / this.scale));
    const slot = (): Level[] => sizes.map((s) => ({ ...s, at: kernels.alloc(s.width * s.height * 2) }));
    this.cache = new SlotCache(Array.from({ length: Math.min(slots, frames.count) }, slot), (frame, levels) =>
      this.build(frame, levels),
    );
  }

  get(frame: number): Level[] {
    return this.cache.get(frame);
  }

  /** Lets all be built anew: the frames look otherwise now. */
  forget(): void {
    this.cache.forget();
  }

  private build(frame: number, levels: Level[]): void {
    const { kernels, frames } = this;
    const { width, height } = frames.format;
    kernels.scoped(() => {
      const n = width * height;
      const raw = kernels.alloc(n * bytesPerSample(frames.format));
      frames.readRows(frame, 0, 0, height, kernels.u8(raw, n * bytesPerSample(frames.format)));
      const row = kernels.alloc((width + 32) * 4);
      let at = raw;
      if (frames.format.depth === 8) {
        at = this.scale === 1 ? levels[0].at : kernels.alloc(n * 2);
        kernels.run.widenBytes(raw, at, n);
      } else if (this.scale === 1) {
        kernels.u8(levels[0].at, n * 2).set(kernels.u8(raw, n * 2));
        at = levels[0].at;
      }
      let [w, h] = [width, height];
      for (let s = this.scale; s > 1; s /= 2) {
        const out = s === 2 ? levels[0].at : kernels.alloc(Math.ceil(w / 2) * Math.ceil(h / 2) * 2);
        kernels.run.halve(at, w, h, out, row);
        [at, w, h] = [out, Math.ceil(w / 2), Math.ceil(h / 2)];
      }
      for (let k = 1; k < levels.length; k++) {
        const from = levels[k - 1];
        kernels.run.halve(from.at, from.width, from.height, levels[k].at, row);
      }
    });
  }
}

export function analysisScale(width: number, height: number): number {
  let scale = 1;
  while (Math.max(width, height) / scale > ANALYSIS_LONG_SIDE) scale *= 2;
  return scale;
}

/** Memory of one frame's pyramid, bytes. */
export function pyramidBytes(width: number, height: number): number {
  const scale = analysisScale(width, height);
  const sizes = levelSizes(Math.ceil(width / scale), Math.ceil(height / scale));
  return sizes.reduce((sum, s) => sum + 2 * s.width * s.height, 0);
}

function levelSizes(width: number, height: number): { width: number; height: number }[] {
  const sizes = [{ width, height }];
  for (let s = sizes[0]; Math.min(s.width, s.height) / 2 >= SMALLEST_SIDE && sizes.length < 5;) {
    s = { width: Math.ceil(s.width / 2), height: Math.ceil(s.height / 2) };
    sizes.push(s);
  }
  return sizes;
}
