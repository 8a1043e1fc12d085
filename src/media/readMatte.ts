import { createWriteStream } from 'node:fs';
import { mkdir, open, readdir, rm, stat, symlink } from 'node:fs/promises';
import { join, resolve } from 'node:path';
import { pipeline } from 'node:stream/promises';
import yauzl from 'yauzl';
import { AppError } from '../core/errors.ts';
import { matteFormat } from './decode.ts';
import { CLIP_LIMITS, probeClip, shownSize } from './probe.ts';
import { FILES_ONLY, startFfmpeg } from './processes.ts';
import { writeRasterFile } from './rasterFile.ts';
import { RawStore } from './rawStore.ts';
import { requireRoom } from './room.ts';

export interface MatteReading {
  /** A grey video, or a zip of PNG pictures in the order of the numbers in their names. */
  path: string;
  /** Of the picture as shown, px. */
  width: number;
  height: number;
  /** Where the packed matte goes. */
  out: string;
  /** A folder of its own for what is needed meanwhile; removed at the end. */
  scratch: string;
  onProgress: (stage: 'decode' | 'mattes', done: number) => void;
  signal?: AbortSignal;
}

/** Bytes of a picture in a zip; more is no matte. */
const LARGEST_PICTURE = 256 << 20;

/**
 * Reads a matte that was made elsewhere, as it would be shown (turned by its rotation flag), to 8-bit grey.
 *
 * @returns The number of its frames.
 * @throws AppError `not_matte` if it is neither, `matte_size` if it is not as large as the footage, `disk_full`, and what
 *   {@link probeClip} says of a video.
 */
export async function readMatte(reading: MatteReading): Promise<number> {
  const { path, width, height, out, scratch, onProgress, signal } = reading;
  await mkdir(scratch, { recursive: true });
  try {
    const source = (await isZip(path)) ? await unzipped(path, reading) : await video(path, reading);
    await requireRoom(scratch, source.frames * width * height, 'Reading this matte', 'Make room and try again.');
    const raw = join(scratch, 'matte.raw');
    const args = [...source.input, '-map', '0:v:0', '-fps_mode', 'passthrough', '-f', 'rawvideo', '-pix_fmt', 'gray'];
    const progress = (n: number): void => onProgress('decode', Math.min(1, n / source.frames));
    await startFfmpeg(['-progress', 'pipe:1', ...args, raw], { signal, progress }).done;
    const store = new RawStore(raw, matteFormat(width, height));
    try {
      await writeRasterFile(store, out, (done) => onProgress('mattes', done), signal);
      return store.count;
    } finally {
      store.close();
    }
  } finally {
    await rm(scratch, { recursive: true, force: true });
  }
}

/** Where the pictures of a matte go meanwhile, and how large it must be: as the footage is shown, px. */
type Pictures = Pick<MatteReading, 'width' | 'height' | 'scratch' | 'signal'>;

/**
 * A matte as a video: one that is a video already is left as it is; a zip or a folder of PNG pictures, in the order of the
 * numbers in their names, becomes a grey one.
 *
 * @param out - Where that goes, `.mkv`.
 * @returns The path of the video.
 * @throws AppError `not_matte`, `matte_size`, `disk_full`.
 */
export async function matteVideo(path: string, out: string, pictures: Pictures): Promise<string> {
  const kind = await stat(path).catch(() => undefined);
  const folder = kind?.isDirectory() === true;
  if (!folder && !(kind?.isFile() && (await isZip(path)))) return path;
  const { scratch, signal } = pictures;
  await mkdir(scratch, { recursive: true });
  try {
    const { input } = folder ? await linked(path, pictures) : await unzipped(path, pictures);
    const grey = ['-c:v', 'ffv1', '-level', '3', '-g', '1', '-pix_fmt', 'gray'];
    await startFfmpeg([...input, ...grey, out], { signal }).done;
    return out;
  } finally {
    await rm(scratch, { recursive: true, force: true });
  }
}

interface Source {
  frames: number;
  /** Arguments that make ffmpeg read it. */
  input: string[];
}

async function video(path: string, size: { width: number; height: number }): Promise<Source> {
  const info = await probeClip(path);
  const { width, height } = shownSize(info);
  requireSize(width, height, size);
  return { frames: info.frames, input: [...FILES_ONLY, '-i', path] };
}

function requireSize(w: number, h: number, { width, height }: { width: number; height: number }): void {
  if (w === width && h === height) return;
  throw new AppError(
    'matte_size',
    `The matte is ${w}x${h}, the footage ${width}x${height} as it is shown. Render the matte at the footage's size.`,
  );
}

async function isZip(path: string): Promise<boolean> {
  const file = await open(path);
  try {
    const { buffer } = await file.read(Buffer.alloc(4), 0, 4, 0);
    return buffer.readUInt32LE(0) === 0x04034b50;
  } finally {
    await file.close();
  }
}

const NUMBERS = new Intl.Collator('en', { numeric: true });

/** Takes the pictures out of a zip, under numbers of ours: what they are called there decides on their order alone. */
async function unzipped(path: string, { scratch, signal, ...size }: Pictures): Promise<Source> {
  const zip = await yauzl
    .openPromise(path, { lazyEntries: true, autoClose: false, strictFileNames: false })
    .catch((error: Error) => {
      throw notMatte(`The zip cannot be read (${error.message}).`);
    });
  try {
    const entries: yauzl.Entry[] = [];
    for await (const entry of zip.eachEntry()) {
      if (/\.png$/i.test(entry.fileName) && !/(^|\/)[._]/.test(entry.fileName)) entries.push(entry);
      if (entries.length > CLIP_LIMITS.frames) throw notMatte(`The zip has more than ${CLIP_LIMITS.frames} pictures.`);
    }
    if (entries.length === 0) throw notMatte('There is no PNG picture in this zip.');
    entries.sort((a, b) => NUMBERS.compare(a.fileName, b.fileName));
    const total = entries.reduce((sum, e) => sum + e.uncompressedSize, 0);
    await requireRoom(scratch, total, 'Unpacking this zip', 'Make room and try again.');
    for (const [i, entry] of entries.entries()) {
      if (entry.uncompressedSize > LARGEST_PICTURE) throw notMatte(`“${shortName(entry)}” is too large for a matte.`);
      const to = join(scratch, `${i}.png`);
      await pipeline(await zip.openReadStreamPromise(entry), createWriteStream(to), { signal });
      const [w, h] = await pngSize(to, shortName(entry));
      requireSize(w, h, size);
    }
    return { frames: entries.length, input: numbered(scratch) };
  } finally {
    zip.close();
  }
}

/** Names the pictures of a folder as {@link unzipped} does, without copying them. */
async function linked(path: string, { scratch, ...size }: Pictures): Promise<Source> {
  const names = (await readdir(path)).filter((name) => /^[^._].*\.png$/i.test(name)).sort(NUMBERS.compare);
  if (names.length === 0) throw notMatte('There is no PNG picture in this folder.');
  for (const [i, name] of names.entries()) {
    const [w, h] = await pngSize(join(path, name), name);
    requireSize(w, h, size);
    await symlink(resolve(path, name), join(scratch, `${i}.png`));
  }
  return { frames: names.length, input: numbered(scratch) };
}

const numbered = (folder: string): string[] => [
  ...[...FILES_ONLY, '-f', 'image2', '-start_number', '0'],
  ...['-i', join(folder, '%d.png')],
];

/** Width and height in the header of a PNG (ISO 15948, 11.2.2). */
async function pngSize(path: string, name: string): Promise<[number, number]> {
  const file = await open(path);
  try {
    const { buffer } = await file.read(Buffer.alloc(24), 0, 24, 0);
    if (buffer.toString('latin1', 1, 4) !== 'PNG') throw notMatte(`“${name}” is not a PNG picture.`);
    return [buffer.readUInt32BE(16), buffer.readUInt32BE(20)];
  } finally {
    await file.close();
  }
}

const shortName = (entry: yauzl.Entry): string => entry.fileName.split('/').at(-1)!.slice(0, 80);
const notMatte = (why: string): AppError =>
  new AppError('not_matte', `${why} A matte is a grey video, or a zip of grey PNG pictures.`);
