import type { Kernels } from '../../kernels/index.ts';
import { multiply3, type Matrix3 } from '../geometry/homography.ts';
import { bytesPerSample, type FrameReader } from '../image/format.ts';
import { SlotCache } from '../image/lru.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import { mediansAround } from './mediansAround.ts';

/** Bits of the samples that are compared: differences of nine of them fit into 16 bits. */
const BITS = 12;
/** Chroma without colour, at those bits. */
export const NEUTRAL = 2048;
/** Side of the cells in which light is compared, px of the frames here. */
const LIGHT_CELL = 48;
/** Cells on each side whose median is a cell's gain: wider than a mover and its shadow. */
const LIGHT_REACH = 2;
/** Change of light that is believed. */
const MOST_GAIN = 2;
/** Added to both sums before they are divided, 12-bit levels: black has no gain. */
const DARK = 40;

/** A plane of a frame in kernel memory, u16 of 12 bits. */
export interface LaidPlane {
  at: number;
  width: number;
  height: number;
  stepX: number;
  stepY: number;
}

/**
 * Lays frames over one another by the camera's motion, with the light between them levelled: what does not fit then, moves
 * by itself. Works at the size of the frames that it is given, which should be small.
 */
export class FrameLayer {
  private readonly cache: SlotCache<number[]>;
  readonly planes: Omit<LaidPlane, 'at'>[];

  /**
   * @param slots - Frames that are held, of all that are asked for.
   * @param stays - Not 0 for the px of the frames that show nothing of the background; undefined if all do.
   */
  constructor(
    private readonly kernels: Kernels,
    private readonly frames: FrameReader,
    private readonly motion: CameraMotion,
    slots: number,
    readonly stays?: Uint8Array,
  ) {
    const { format } = frames;
    this.planes = format.planes.slice(0, format.colourPlanes);
    const slot = (): number[] => this.planes.map((p) => kernels.alloc(p.width * p.height * 2));
    this.cache = new SlotCache(Array.from({ length: Math.min(slots, frames.count) }, slot), (frame, at) =>
      this.load(frame, at),
    );
  }

  /** Whether the camera rests. */
  get tripod(): boolean {
    return this.motion.data.tripod;
  }

  sameScene(a: number, b: number): boolean {
    return this.motion.sameScene(a, b);
  }

  /** From px of one frame to those of another, by the background. */
  map(from: number, to: number): Matrix3 {
    return this.motion.plane(from, to);
  }

  /** The planes of a frame itself. */
  own(frame: number): LaidPlane[] {
    const at = this.cache.get(frame);
    return this.planes.map((p, i) => ({ ...p, at: at[i] }));
  }

  private load(frame: number, at: number[]): void {
    const { kernels, frames } = this;
    const { format } = frames;
    const bytes = bytesPerSample(format);
    kernels.scoped(() => {
      this.planes.forEach(({ width, height }, p) => {
        const raw = kernels.alloc(width * height * bytes);
        frames.readRows(frame, p, 0, height, kernels.u8(raw, width * height * bytes));
        kernels.run.cutPlane(raw, width, 0, bytes, format.depth, width, height, at[p], BITS);
      });
    });
    if (format.rgb) toLuma(at.map((plane) => kernels.u16(plane, format.width * format.height)));
  }

  /**
   * Lays frame `from` over frame `onto`.
   * @param into - Where the planes go, as many samples as those of {@link own}; 65535 where `from` does not show a place.
   */
  lay(from: number, onto: number, into: readonly LaidPlane[]): void {
    const { kernels } = this;
    const [source, own] = [this.own(from), this.own(onto)];
    const map = this.map(onto, from);
    kernels.scoped(() => {
      source.forEach(({ at, width, height, stepX, stepY }, p) => {
        const m = kernels.put(Float32Array.from(planeMap(map, stepX, stepY)));
        // Chroma lies around its neutral and has no gain of its own; the light's colour hardly changes within a shot.
        const gains = p === 0 ? this.gains(own[0].at, at, m) : new Float32Array(this.lightCells(p)).fill(1);
        const [light, work] = [kernels.put(gains), kernels.alloc(width * 4)];
        kernels.run.layPlane(at, width, height, m, light, LIGHT_CELL, into[p].at, work);
        if (this.stays) this.hide(this.stays, planeMap(map, stepX, stepY), into[p]);
      });
    });
  }

  /** What was laid from where a frame shows nothing of the background is not shown. @param map - From px of the plane to those that were laid over it. */
  private hide(stays: Uint8Array, map: Matrix3, { at, width, height, stepX, stepY }: LaidPlane): void {
    const samples = this.kernels.u16(at, width * height);
    const { width: across, height: down } = this.planes[0];
    const isHidden = (u: number, v: number): boolean =>
      u >= 0 && v >= 0 && u < across && v < down && stays[v * across + u] > 0;
    for (let y = 0, i = 0; y < height; y++) {
      for (let x = 0; x < width; x++, i++) {
        const w = map[6] * x + map[7] * y + map[8];
        const [u, v] = [
          ((map[0] * x + map[1] * y + map[2]) / w) * stepX,
          ((map[3] * x + map[4] * y + map[5]) / w) * stepY,
        ];
        const [left, top, right, low] = [Math.floor(u), Math.floor(v), Math.ceil(u), Math.ceil(v)];
        if (isHidden(left, top) || isHidden(right, top) || isHidden(left, low) || isHidden(right, low))
          samples[i] = 65535;
      }
    }
  }

  private lightCells(plane: number): number {
    const { width, height } = this.planes[plane];
    return Math.ceil(width / LIGHT_CELL) * Math.ceil(height / LIGHT_CELL);
  }

  /** Gain per cell that makes what is laid over as light as what lies under it. */
  private gains(own: number, other: number, map: number): Float32Array {
    const { kernels } = this;
    const { width, height } = this.planes[0];
    const [cols, rows] = [Math.ceil(width / LIGHT_CELL), Math.ceil(height / LIGHT_CELL)];
    return kernels.scoped(() => {
      const at = kernels.alloc(cols * rows * 12);
      kernels.run.cellSums(own, other, width, height, map, LIGHT_CELL, at);
      const sums = kernels.f32(at, cols * rows * 3);
      const log = new Float32Array(cols * rows);
      for (let i = 0; i < log.length; i++) {
        const [a, b, n] = sums.subarray(3 * i, 3 * i + 3);
        log[i] = n < 16 ? NaN : Math.log((a / n + DARK) / (b / n + DARK));
      }
      return mediansAround(log, cols, rows, LIGHT_REACH).map((g) =>
        Math.min(MOST_GAIN, Math.max(1 / MOST_GAIN, Math.exp(g))),
      );
    });
  }
}

/**
 * Green, blue and red become luma and two differences of colour around their neutral (ITU-R BT.709-6, full range, scaled as in
 * clause 3.3): shade and light are told by these.
 */
function toLuma([green, blue, red]: Uint16Array[]): void {
  for (let i = 0; i < green.length; i++) {
    const luma = 0.2126 * red[i] + 0.7152 * green[i] + 0.0722 * blue[i];
    const [b, r] = [(blue[i] - luma) / 1.8556, (red[i] - luma) / 1.5748];
    green[i] = luma + 0.5;
    blue[i] = NEUTRAL + b + 0.5;
    red[i] = NEUTRAL + r + 0.5;
  }
}

/** A homography of luma px as one of the px of a plane with fewer samples: a sample lies in the middle of its luma px. */
function planeMap(m: Matrix3, stepX: number, stepY: number): Matrix3 {
  if (stepX === 1 && stepY === 1) return m;
  const [ox, oy] = [(stepX - 1) / 2, (stepY - 1) / 2];
  const up = Float64Array.of(stepX, 0, ox, 0, stepY, oy, 0, 0, 1);
  const down = Float64Array.of(1 / stepX, 0, -ox / stepX, 0, 1 / stepY, -oy / stepY, 0, 0, 1);
  return multiply3(down, multiply3(m, up));
}
