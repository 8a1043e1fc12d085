import { readFile } from 'node:fs/promises';
import { pixelToPlane, undistort, type Lens, type Plane, type Pose } from './camera.ts';

interface TextureFunctions {
  memory: WebAssembly.Memory;
  heapBase(): number;
  drawLayer(
    levels: number,
    levelCount: number,
    repeat: number,
    multiply: number,
    map: number,
    drawn: number,
    cols: number,
    rows: number,
    tile: number,
    dst: number,
    stride: number,
    height: number,
  ): void;
  accumulate(sum: number, picture: number, weight: number, n: number): void;
  halveTexture(src: number, w: number, h: number, dst: number): void;
  develop(
    src: number,
    w: number,
    h: number,
    vignette: number,
    read: number,
    shot: number,
    seed: number,
    wide: number,
    out: number,
  ): void;
}

/** A texture with its halved levels in renderer memory; colours premultiplied, 0..1. */
export interface Texture {
  width: number;
  height: number;
  levels: number;
  count: number;
  repeat: boolean;
  /** Full-size RGBA values, for those who need to know what is where. */
  at: number;
}

export interface Layer {
  plane: Plane;
  texture: Texture;
  multiply?: boolean;
}

export interface Sensor {
  vignette: number;
  read: number;
  shot: number;
}

const TILE = 16;
const MEMORY_PAGES = 24_000;

/** Draws textured planes as a lens and a shutter see them. */
export class Renderer {
  private top: number;
  private readonly cols: number;
  private readonly rows: number;
  private readonly map: number;
  private readonly drawn: number;
  private readonly rgb: number;

  private constructor(
    private readonly run: TextureFunctions,
    private readonly memory: WebAssembly.Memory,
    readonly lens: Lens,
  ) {
    this.top = align(run.heapBase());
    this.cols = Math.ceil(lens.width / TILE);
    this.rows = Math.ceil(lens.height / TILE);
    this.map = this.alloc((this.cols + 1) * (this.rows + 1) * 12);
    this.drawn = this.alloc(this.cols * this.rows);
    this.rgb = this.alloc(lens.width * lens.height * 6);
  }

  static async create(lens: Lens): Promise<Renderer> {
    const path = import.meta.url.includes('/dist/') ? './texture.wasm' : '../dist/demo/texture.wasm';
    const memory = new WebAssembly.Memory({ initial: MEMORY_PAGES, maximum: 32768 });
    const { instance } = await WebAssembly.instantiate(await readFile(new URL(path, import.meta.url)), {
      env: { memory },
    });
    return new Renderer(instance.exports as unknown as TextureFunctions, memory, lens);
  }

  private alloc(bytes: number): number {
    const at = this.top;
    this.top = align(at + bytes);
    if (this.top > this.memory.buffer.byteLength) throw new Error('the textures of this shot do not fit in memory');
    return at;
  }

  f32(at: number, n: number): Float32Array {
    return new Float32Array(this.memory.buffer, at, n);
  }

  /** A picture of four floats a pixel, empty. */
  picture(): number {
    return this.alloc(this.lens.width * this.lens.height * 16);
  }

  clear(picture: number): void {
    this.f32(picture, this.lens.width * this.lens.height * 4).fill(0);
  }

  copy(from: number, to: number): void {
    const n = this.lens.width * this.lens.height * 4;
    this.f32(to, n).set(this.f32(from, n));
  }

  add(sum: number, picture: number, weight: number): void {
    this.run.accumulate(sum, picture, weight, this.lens.width * this.lens.height);
  }

  /** Blurs a picture by a Gaussian, columns as rows; its edge goes on beyond it. @param work - Another picture, which is lost. @param sigma - Px. */
  blur(picture: number, work: number, sigma: number): void {
    if (sigma < 0.05) return;
    const { width: w, height: h } = this.lens;
    const [a, b] = [picture, work].map((at) => this.f32(at, w * h * 4));
    const taps = gaussian(sigma);
    blurLines(a, b, taps, { lines: h, apart: 4 * w, length: w, step: 4 });
    blurLines(b, a, taps, { lines: w, apart: 4, length: h, step: 4 * w });
  }

  /** Room for a texture that is painted anew each frame. */
  texture(width: number, height: number, repeat = false): Texture {
    const sizes = [];
    for (let [w, h] = [width, height]; w >= 4 && h >= 4; [w, h] = [w >> 1, h >> 1]) sizes.push([w, h]);
    const levels = this.alloc(sizes.length * 12);
    const table = new Int32Array(this.memory.buffer, levels, sizes.length * 3);
    sizes.forEach(([w, h], i) => table.set([this.alloc(w * h * 16), w, h], i * 3));
    return { width, height, levels, count: sizes.length, repeat, at: table[0] };
  }

  /** Paints a texture pixel by pixel; `colour` writes premultiplied RGBA (0..1). */
  paint(texture: Texture, colour: (x: number, y: number, out: Float32Array) => void): Texture {
    const values = this.f32(texture.at, texture.width * texture.height * 4);
    const out = new Float32Array(4);
    for (let y = 0, i = 0; y < texture.height; y++) {
      for (let x = 0; x < texture.width; x++, i += 4) {
        colour(x, y, out);
        values.set(out, i);
      }
    }
    this.refresh(texture);
    return texture;
  }

  /** Rebuilds the halved levels after the full size was painted. */
  refresh(texture: Texture): void {
    const table = new Int32Array(this.memory.buffer, texture.levels, texture.count * 3);
    for (let i = 1; i < texture.count; i++) {
      this.run.halveTexture(table[3 * i - 3], table[3 * i - 2], table[3 * i - 1], table[3 * i]);
    }
  }

  /** Draws a layer as seen at one instant per row. */
  draw(layer: Layer, pose: (time: number) => Pose, time: number, picture: number): void {
    const { lens, cols, rows } = this;
    const map = this.f32(this.map, (cols + 1) * (rows + 1) * 3);
    const { texture } = layer;
    for (let r = 0, i = 0; r <= rows; r++) {
      const m = pixelToPlane(pose(time + rowTime(lens, r * TILE)), layer.plane, lens.focal);
      for (let c = 0; c <= cols; c++, i += 3) {
        const [x, y] = undistort(lens, c * TILE, r * TILE);
        // The weight of a pixel under the inverse is 1 / depth.
        const q = m[6] * x + m[7] * y + m[8];
        map[i] = (m[0] * x + m[1] * y + m[2]) * texture.width - 0.5 * q;
        map[i + 1] = (m[3] * x + m[4] * y + m[5]) * texture.height - 0.5 * q;
        map[i + 2] = q;
      }
    }
    this.chooseTiles(texture, map);
    this.run.drawLayer(
      texture.levels,
      texture.count,
      texture.repeat ? 1 : 0,
      layer.multiply ? 1 : 0,
      this.map,
      this.drawn,
      cols,
      rows,
      TILE,
      picture,
      lens.width,
      lens.height,
    );
  }

  /** Which tiles may show something of a texture. */
  private chooseTiles(texture: Texture, map: Float32Array): void {
    const { cols, rows } = this;
    const drawn = new Uint8Array(this.memory.buffer, this.drawn, cols * rows);
    for (let r = 0; r < rows; r++) {
      for (let c = 0; c < cols; c++) {
        const a = r * (cols + 1) + c;
        drawn[r * cols + c] = isOutside(texture, map, [a, a + 1, a + cols + 1, a + cols + 2]) ? 0 : 1;
      }
    }
  }

  /**
   * Display-coded light of a picture as RGB with or without grain.
   * @param wide - 16 bits a sample (little endian), not 8.
   */
  develop(picture: number, sensor: Sensor, grainSeed: number | undefined, wide = false): Uint8Array {
    const { width, height } = this.lens;
    const bytes = width * height * (wide ? 6 : 3);
    const read = grainSeed === undefined ? 0 : sensor.read;
    this.run.develop(
      picture,
      width,
      height,
      sensor.vignette,
      read,
      sensor.shot,
      (grainSeed ?? 0) >>> 0,
      wide ? 1 : 0,
      this.rgb,
    );
    return new Uint8Array(this.memory.buffer, this.rgb, bytes).slice();
  }
}

/** Rows are read one after another; the middle row is read at the frame's time. */
export function rowTime(lens: Lens, y: number): number {
  return lens.readout * (y / lens.height - 0.5);
}

/** Whether a texture lies beyond one side of a tile, or all of it behind the camera, by the tile's corners: what is linear in a picture is so in between, too. */
function isOutside({ width, height, repeat }: Texture, map: Float32Array, corners: number[]): boolean {
  const all = (test: (u: number, v: number, q: number) => boolean): boolean =>
    corners.every((k) => test(map[3 * k], map[3 * k + 1], map[3 * k + 2]));
  if (all((_u, _v, q) => q <= 0)) return true;
  if (repeat) return false;
  return (
    all((u, _v, q) => u < -q) ||
    all((u, _v, q) => u > width * q) ||
    all((_u, v, q) => v < -q) ||
    all((_u, v, q) => v > height * q)
  );
}

function gaussian(sigma: number): Float32Array {
  const reach = Math.ceil(3 * sigma);
  const taps = Float32Array.from({ length: 2 * reach + 1 }, (_, i) => Math.exp(-0.5 * ((i - reach) / sigma) ** 2));
  const sum = taps.reduce((s, v) => s + v, 0);
  return taps.map((v) => v / sum);
}

interface Lines {
  lines: number;
  apart: number;
  length: number;
  step: number;
}

/** Convolves each of a picture's rows, or columns, of four floats a pixel. */
function blurLines(
  from: Float32Array,
  to: Float32Array,
  taps: Float32Array,
  { lines, apart, length, step }: Lines,
): void {
  const reach = (taps.length - 1) / 2;
  for (let line = 0; line < lines; line++) {
    for (let i = 0; i < length; i++) {
      const out = line * apart + i * step;
      to.fill(0, out, out + 4);
      for (let k = 0; k < taps.length; k++) {
        const at = line * apart + Math.min(length - 1, Math.max(0, i + k - reach)) * step;
        for (let c = 0; c < 4; c++) to[out + c] += taps[k] * from[at + c];
      }
    }
  }
}

const align = (n: number): number => Math.ceil(n / 16) * 16;
