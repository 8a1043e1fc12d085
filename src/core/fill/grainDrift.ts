import type { CameraMotion } from '../motion/cameraMotion.ts';

/** Points across and down the frame at which the drift is known; between them it is interpolated. */
const [ACROSS, DOWN] = [9, 6];

/**
 * Where grain that stays with the scene lies in each frame. Its pattern is carried from frame to frame by the movement
 * between these two alone, so that it hardly stretches where the camera comes nearer; from frame to frame it stays with
 * the scene all the same.
 */
export class GrainDrift {
  /** Per frame, interleaved x, y per point, px. */
  private readonly tables: Float64Array[] = [];

  constructor(private readonly camera: CameraMotion) {}

  /** Shift from a place of a frame to its place in the pattern, px. */
  at(frame: number, x: number, y: number): [number, number] {
    const table = this.table(frame);
    const { width, height } = this.camera.data;
    const u = clamp((x / width) * (ACROSS - 1), ACROSS - 1.001);
    const v = clamp((y / height) * (DOWN - 1), DOWN - 1.001);
    const [c, r] = [Math.floor(u), Math.floor(v)];
    const axis = (k: number): number => {
      const value = (col: number, row: number): number => table[2 * (row * ACROSS + col) + k];
      const top = value(c, r) + (value(c + 1, r) - value(c, r)) * (u - c);
      const bottom = value(c, r + 1) + (value(c + 1, r + 1) - value(c, r + 1)) * (u - c);
      return top + (bottom - top) * (v - r);
    };
    return [axis(0), axis(1)];
  }

  /** Counted from the middle of the shot outwards: that keeps what the pattern is stretched by small. */
  private table(frame: number): Float64Array {
    const middle = this.camera.data.count >> 1;
    const step = Math.sign(frame - middle);
    let last = (this.tables[middle] ??= new Float64Array(ACROSS * DOWN * 2));
    for (let t = middle; t !== frame; t += step) last = this.tables[t + step] ??= this.carried(t, t + step, last);
    return last;
  }

  /** The table of a frame from that of its neighbour; another scene begins with that as it is. */
  private carried(from: number, to: number, known: Float64Array): Float64Array {
    if (!this.camera.sameScene(from, to)) return known;
    const { width, height } = this.camera.data;
    const points = known.map((_, i) => {
      const k = i >> 1;
      return i % 2 === 0 ? ((k % ACROSS) * width) / (ACROSS - 1) : (Math.floor(k / ACROSS) * height) / (DOWN - 1);
    });
    const moved = points.slice();
    this.camera.map(from, to, moved);
    return known.map((v, i) => v - (moved[i] - points[i]));
  }
}

const clamp = (v: number, most: number): number => Math.max(0, Math.min(most, v));
