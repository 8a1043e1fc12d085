import { copyFile, mkdir, open, readdir, rename, rm, stat, utimes, type FileHandle } from 'node:fs/promises';
import { randomUUID } from 'node:crypto';
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { frameBytes, type FrameFormat } from '../../core/image/format.ts';
import { decodeFrames, draftFactor, draftFormat } from '../../media/decode.ts';
import { applyLayer, type Layer } from '../../media/layeredFrames.ts';
import { storedFormat, type StoredFormat } from '../../media/pixelFormat.ts';
import type { ClipInfo } from '../../media/probe.ts';
import { startFfmpeg } from '../../media/processes.ts';
import { RawStore } from '../../media/rawStore.ts';
import { requireRoom } from '../../media/room.ts';

/** A ready clip as it lies on the disk. */
export interface StoredClip {
  hash: string;
  path: string;
  info: ClipInfo;
}

/** Frames first..first+count-1 of a clip, with takes laid over them. */
export interface FramesWanted {
  clip: StoredClip;
  first: number;
  count: number;
  /** `key` names what the layers hold; none for the frames as they are. */
  layers?: { key: string; list: Layer[] };
}

export interface StoredFrames {
  path: string;
  format: FrameFormat;
}

/** A store that was used this recently is not purged, ms. */
const IN_USE_MS = 2 * 3600_000;

/** Decoded frames, kept for the next take of the same shot, and purged by age beyond a budget. */
export class FrameStores {
  constructor(
    private readonly root: string,
    /** Bytes. */
    private readonly budget: number,
  ) {}

  /** Frames at full size, in the clip's own samples. */
  async full(wanted: FramesWanted, signal?: AbortSignal): Promise<StoredFrames> {
    const stored = storedOf(wanted.clip);
    const path = await this.ensure(wanted, 'frames', frameBytes(stored.format), (part) =>
      wanted.layers ? this.layFrames(wanted, part, signal) : decodeRange(wanted, part, stored, signal),
    );
    return { path, format: stored.format };
  }

  /** Frames at a draft's size. */
  async small(wanted: FramesWanted, signal?: AbortSignal): Promise<StoredFrames & { factor: number }> {
    const stored = storedOf(wanted.clip);
    const factor = draftFactor(stored.format.width, stored.format.height);
    const small = draftFormat(stored, factor);
    const path = await this.ensure(wanted, 'small', frameBytes(small.format), async (part) => {
      if (!wanted.layers) return decodeRange(wanted, part, small, signal);
      const full = await this.full(wanted, signal);
      await scaleRaw(full, stored, part, small, signal);
    });
    return { path, format: small.format, factor };
  }

  /** A decoded frame of a clip, if some store holds it. */
  async find(clip: StoredClip, frame: number): Promise<Uint8Array | undefined> {
    for (const name of await readdir(this.root)) {
      const range = /^([0-9a-f]{64})-(\d+)-(\d+)$/.exec(name);
      const first = Number(range?.[2]);
      if (range?.[1] !== clip.hash || frame < first || frame >= first + Number(range[3])) continue;
      const path = join(this.root, name, 'frames.raw');
      if (!existsSync(path)) continue;
      const store = new RawStore(path, storedOf(clip).format);
      try {
        const out = new Uint8Array(frameBytes(store.format));
        store.readFrame(frame - first, out);
        return out;
      } finally {
        store.close();
      }
    }
    return undefined;
  }

  private async ensure(
    { clip, first, count, layers }: FramesWanted,
    kind: 'frames' | 'small',
    bytes: number,
    make: (part: string) => Promise<void>,
  ): Promise<string> {
    const folder = join(this.root, `${clip.hash}-${first}-${count}${layers ? `-${layers.key}` : ''}`);
    const path = join(folder, `${kind}.raw`);
    if (!existsSync(path)) {
      await mkdir(folder, { recursive: true });
      await this.purge(bytes * count, folder);
      await requireRoom(folder, bytes * count * 1.1, 'Reading the frames of this shot', 'Make room and try again.');
      const part = `${path}.${randomUUID()}.part`;
      try {
        await make(part);
        checkWhole(part, (await stat(part)).size, bytes * count);
        await rename(part, path);
      } finally {
        await rm(part, { force: true });
      }
    }
    await utimes(folder, new Date(), new Date());
    return path;
  }

  private async layFrames(wanted: FramesWanted, part: string, signal?: AbortSignal): Promise<void> {
    const { layers: _, ...plain } = wanted;
    const base = await this.full(plain, signal);
    await copyFile(base.path, part);
    const store = new RawStore(base.path, base.format);
    const file = await open(part, 'r+');
    try {
      for (let t = 0; t < wanted.count; t++) {
        signal?.throwIfAborted();
        await layFrame(file, store, wanted.layers!.list, t);
      }
    } finally {
      await file.close();
      store.close();
    }
  }

  /** Removes the stores that were used the longest ago until `needed` bytes more fit into the budget. */
  private async purge(needed: number, keep: string): Promise<void> {
    const stores = await Promise.all(
      (await readdir(this.root)).map(async (name) => {
        const folder = join(this.root, name);
        const files = await readdir(folder).catch(() => []);
        const sizes = await Promise.all(
          files.map((f) =>
            stat(join(folder, f)).then(
              (s) => s.size,
              () => 0,
            ),
          ),
        );
        const used = await stat(folder).then(
          (s) => s.mtimeMs,
          () => 0,
        );
        return { folder, used, size: sizes.reduce((a, b) => a + b, 0) };
      }),
    );
    let total = needed + stores.reduce((sum, s) => sum + s.size, 0);
    for (const { folder, size, used } of stores.sort((a, b) => a.used - b.used)) {
      if (total <= this.budget) return;
      if (folder === keep || Date.now() - used < IN_USE_MS) continue;
      await rm(folder, { recursive: true, force: true });
      total -= size;
    }
  }
}

export const storedOf = ({ info }: StoredClip): StoredFormat => storedFormat(info.pixelFormat, info.width, info.height);

async function decodeRange(
  wanted: FramesWanted,
  path: string,
  stored: StoredFormat,
  signal?: AbortSignal,
): Promise<void> {
  const { clip, first, count } = wanted;
  const range = { ...clip.info, first, count };
  await decodeFrames(clip.path, [{ path, stored }], clip.info, signal, range);
}

async function layFrame(file: FileHandle, store: RawStore, layers: Layer[], t: number): Promise<void> {
  if (layers.every((l) => t + l.offset < 0 || !l.patches.get(t + l.offset))) return;
  const frame = new Uint8Array(frameBytes(store.format));
  store.readFrame(t, frame);
  for (const layer of layers) applyLayer(frame, store.format, layer, t);
  await file.write(frame, 0, frame.length, t * frame.length);
}

async function scaleRaw(
  from: StoredFrames,
  stored: StoredFormat,
  path: string,
  small: StoredFormat,
  signal?: AbortSignal,
): Promise<void> {
  const size = (f: FrameFormat): string => `${f.width}x${f.height}`;
  const raw = ['-f', 'rawvideo', '-pix_fmt', stored.pixelFormat];
  const { width, height } = small.format;
  const scale = ['-vf', `scale=${width}:${height}:flags=area`, ...raw, path];
  await startFfmpeg([...raw, '-s', size(from.format), '-i', from.path, ...scale], { signal }).done;
}

function checkWhole(path: string, got: number, wanted: number): void {
  if (got !== wanted) throw new RangeError(`${path}: ${got} bytes of frames were decoded, ${wanted} were expected`);
}
