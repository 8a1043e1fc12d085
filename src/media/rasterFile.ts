import { closeSync, fstatSync, openSync, readSync, renameSync, rmSync, writeSync } from 'node:fs';
import { deserialize, serialize } from 'node:v8';
import { deflateRawSync, inflateRawSync } from 'node:zlib';
import type { FrameReader, Rect } from '../core/image/format.ts';
import type { RasterFrames, RasterPatch } from '../core/shapes/raster.ts';
import { pauses } from './pauses.ts';

/** Where the packed values of each frame lie; nothing of an empty one. */
type Index = ({ rect: Rect; offset: number; bytes: number } | null)[];

/** Bytes at the end of the file that say how long its index is. */
const FOOTER = 4;

/**
 * Packs the first plane of grey frames: of each the part above 0 (deflate), then an index. The file appears when it is whole.
 */
export async function writeRasterFile(
  frames: FrameReader,
  path: string,
  onProgress: (done: number) => void,
  signal?: AbortSignal,
): Promise<void> {
  const part = `${path}.part`;
  const fd = openSync(part, 'w');
  const pause = pauses(signal);
  const index: Index = [];
  let offset = 0;
  const append = (bytes: Uint8Array): void => {
    for (let done = 0; done < bytes.length;) done += writeSync(fd, bytes, done);
    offset += bytes.length;
  };
  const raster = planeRaster(frames, 0);
  try {
    for (let t = 0; t < frames.count; t++) {
      const patch = raster(t);
      if (patch) {
        const packed = deflateRawSync(patch.values, { level: 4 });
        index.push({ rect: patch.rect, offset, bytes: packed.length });
        append(packed);
      } else index.push(null);
      onProgress((t + 1) / frames.count);
      await pause();
    }
    const tail = serialize(index);
    const footer = Buffer.alloc(FOOTER);
    footer.writeUInt32LE(tail.length);
    append(tail);
    append(footer);
  } catch (error) {
    rmSync(part, { force: true });
    throw error;
  } finally {
    closeSync(fd);
  }
  renameSync(part, path);
}

function extentOf(values: Uint8Array, width: number, height: number): Rect | undefined {
  let [x0, y0, x1, y1] = [width, height, -1, -1];
  for (let i = 0; i < values.length; i++) {
    if (values[i] === 0) continue;
    const [x, y] = [i % width, Math.floor(i / width)];
    if (x < x0) x0 = x;
    if (x > x1) x1 = x;
    if (y < y0) y0 = y;
    y1 = y;
  }
  return x1 < 0 ? undefined : { x: x0, y: y0, width: x1 - x0 + 1, height: y1 - y0 + 1 };
}

function cut(values: Uint8Array, width: number, { x, y, width: w, height: h }: Rect): Uint8Array {
  const out = new Uint8Array(w * h);
  for (let row = 0; row < h; row++) {
    const from = (y + row) * width + x;
    out.set(values.subarray(from, from + w), row * w);
  }
  return out;
}

/** Reads what {@link writeRasterFile} wrote, frame by frame; a file that is not there has no frames. */
export function rasterFile(path: string): RasterFrames {
  let index: Index | undefined;
  return (frame): RasterPatch | undefined => {
    let fd: number;
    try {
      fd = openSync(path, 'r');
    } catch {
      return undefined;
    }
    try {
      index ??= readIndex(fd);
      const entry = index[frame] as Index[number] | undefined;
      if (!entry) return undefined;
      return { rect: entry.rect, values: new Uint8Array(inflateRawSync(read(fd, entry.offset, entry.bytes))) };
    } finally {
      closeSync(fd);
    }
  };
}

function readIndex(fd: number): Index {
  const { size } = fstatSync(fd);
  const bytes = read(fd, size - FOOTER, FOOTER).readUInt32LE();
  return deserialize(read(fd, size - FOOTER - bytes, bytes)) as Index;
}

function read(fd: number, position: number, length: number): Buffer {
  const out = Buffer.alloc(length);
  for (let done = 0; done < length;) {
    const n = readSync(fd, out, done, length - done, position + done);
    if (n === 0) throw new Error('a matte ends before its index says so');
    done += n;
  }
  return out;
}

/** A plane of stored grey frames. */
export function planeRaster(frames: FrameReader, plane: number): RasterFrames {
  const { width, height } = frames.format;
  return (frame) => {
    const values = new Uint8Array(width * height);
    frames.readRows(frame, plane, 0, height, values);
    const rect = extentOf(values, width, height);
    return rect && { rect, values: cut(values, width, rect) };
  };
}
