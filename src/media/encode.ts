import { rename, rm, writeFile } from 'node:fs/promises';
import { extname } from 'node:path';
import { AppError } from '../core/errors.ts';
import { TURN } from './colour.ts';
import { ffv1Format, huffFormat, type StoredFormat } from './pixelFormat.ts';
import type { ClipInfo } from './probe.ts';
import { FILES_ONLY, startFfmpeg, type Running } from './processes.ts';

/** Codec arguments by the ending of the output's name. */
const CODECS: Record<string, (stored: StoredFormat, quick: boolean) => string[]> = {
  '.mkv': (s, quick) => (quick && huffFormat(s) ? huffyuv(s) : ffv1(s)),
  '.mp4': h264,
  '.mov': h264,
  '.webm': (s) => [
    '-c:v',
    'libvpx-vp9',
    '-crf',
    '18',
    '-b:v',
    '0',
    '-pix_fmt',
    s.format.depth > 8 ? 'yuv420p10le' : 'yuv420p',
  ],
};

function ffv1({ pixelFormat }: StoredFormat): string[] {
  return ['-c:v', 'ffv1', '-level', '3', '-g', '1', '-slicecrc', '1', '-pix_fmt', ffv1Format(pixelFormat)];
}

function huffyuv(stored: StoredFormat): string[] {
  return ['-c:v', 'ffvhuff', '-pix_fmt', huffFormat(stored)!];
}

function h264(stored: StoredFormat): string[] {
  const chroma = stored.format.depth > 8 ? 'yuv420p10le' : 'yuv420p';
  return ['-c:v', 'libx264', '-preset', 'medium', '-crf', '14', '-pix_fmt', chroma, '-movflags', '+faststart'];
}

export interface EncodeOptions {
  output: string;
  /** What is encoded: frames, rate, times, colour and rotation. */
  clip: ClipInfo;
  stored: StoredFormat;
  /** The footage, whose sound and metadata are carried over; without it there is neither. */
  original?: string;
  /** The part of the footage's sound, seconds in its own clock; without it all. */
  sound?: { start: number; duration: number };
  /** Lossless, where it is, in a quarter of the time and with more room: for what is looked at and made again. */
  quick?: boolean;
  signal?: AbortSignal;
}

/**
 * Encodes frames one by one with the clip's rate or time stamps, colour tags, rotation and sound. The output appears
 * under its name only when it is whole; a failure or a cancel leaves nothing.
 *
 * @param next - The bytes of frame n, all planes as stored, as for {@link pumpFrames}.
 */
export async function encodeFrames(options: EncodeOptions, next: (frame: number) => Uint8Array): Promise<void> {
  const { output, clip } = options;
  const ending = extname(output).toLowerCase();
  const codec = CODECS[ending];
  if (!codec) {
    const known = Object.keys(CODECS).join(', ');
    throw new AppError('output_kind', `Files that end in "${ending}" are not written. Use ${known}.`);
  }
  // Matroska as written here carries no rotation flag: there the frames themselves are turned, sample for sample.
  const flagged = clip.rotation !== 0 && ['.mp4', '.mov'].includes(ending);
  const filter = flagged ? [] : TURN[clip.rotation];
  const part = `${output}.part${ending}`;
  const turned = `${output}.turned${ending}`;
  const times = `${output}.times`;
  try {
    await pipeFrames({ ...options, output: part }, codec(options.stored, options.quick ?? false), filter, times, next);
    if (flagged) {
      await setRotation(part, turned, clip.rotation, options.signal);
      await rename(turned, output);
    } else await rename(part, output);
  } finally {
    for (const path of [part, turned, times]) await rm(path, { force: true });
  }
}

async function pipeFrames(
  options: EncodeOptions,
  codec: string[],
  filter: string[],
  times: string,
  next: (frame: number) => Uint8Array,
): Promise<void> {
  const { output, clip, stored, signal } = options;
  const clock = await filterArguments(filter, clip.variableRate ? clip.times : undefined, times);
  const size = ['-s', `${clip.width}x${clip.height}`];
  const source = ['-thread_queue_size', '1', '-f', 'rawvideo', '-pix_fmt', stored.pixelFormat, ...size];
  const running = startFfmpeg(
    [
      ...source,
      '-framerate',
      `${clip.rate.num}/${clip.rate.den}`,
      '-i',
      'pipe:0',
      ...carriedOver(options),
      ...clock,
      ...codec,
      ...colourTags(clip),
      output,
    ],
    { input: true, signal },
  );
  await pumpFrames(running, clip.frames, next, signal);
}

/**
 * Hands `count` frames to a running ffmpeg, no faster than it takes them, and waits for its end.
 * @param next - The bytes of a frame; they are not needed any more when the next one is asked for.
 */
export async function pumpFrames(
  running: Running,
  count: number,
  next: (frame: number) => Uint8Array,
  signal?: AbortSignal,
): Promise<void> {
  const pipe = running.process.stdin!;
  pipe.on('error', () => undefined);
  try {
    for (let t = 0; t < count && running.process.exitCode === null; t++) {
      signal?.throwIfAborted();
      const taken = new Promise<void>((resolve) => pipe.write(next(t), () => resolve()));
      // A broken pipe is a sign of the program's end, which says why.
      await Promise.race([taken, running.done]);
    }
  } finally {
    pipe.end();
  }
  await running.done;
}

function carriedOver({ original, sound }: EncodeOptions): string[] {
  if (original === undefined) return ['-map', '0:v:0'];
  const part = sound ? ['-seek_timestamp', '1', '-ss', sound.start.toFixed(6), '-t', sound.duration.toFixed(6)] : [];
  const source = [...FILES_ONLY, ...part, '-i', original];
  return [...source, '-map', '0:v:0', '-map', '1:a?', '-c:a', 'copy', '-map_metadata', '1'];
}

/** Sets the rotation flag, which this ffmpeg can only do while copying streams. Its tag turns counterclockwise. */
export async function setRotation(from: string, to: string, clockwise: number, signal?: AbortSignal): Promise<void> {
  const tag = ['-metadata:s:v:0', `rotate=${360 - clockwise}`];
  await startFfmpeg([...FILES_ONLY, '-i', from, '-map', '0', '-c', 'copy', ...tag, to], { signal }).done;
}

function colourTags({ colour }: ClipInfo): string[] {
  const tag = (name: string, value: string | undefined): string[] =>
    value && !['unknown', 'unspecified', 'reserved'].includes(value) ? [name, value] : [];
  return [
    ...tag('-color_range', colour.range),
    ...tag('-colorspace', colour.space === 'gbr' ? 'rgb' : colour.space),
    ...tag('-color_primaries', colour.primaries),
    ...tag('-color_trc', colour.transfer),
  ];
}

/**
 * Output arguments for filters and time stamps. Time stamps (seconds) are given by a filter script written to `path`:
 * a binary search over the frame number, since a pipe of raw frames carries none.
 */
export async function filterArguments(filters: string[], times: number[] | undefined, path: string): Promise<string[]> {
  if (!times) return filters.length > 0 ? ['-vf', filters.join(',')] : [];
  const ticks = times.map((t) => Math.round(t * 90_000));
  const search = (a: number, b: number): string => {
    if (b - a === 1) return String(ticks[a]);
    const mid = (a + b) >> 1;
    return `if(lt(N,${mid}),${search(a, mid)},${search(mid, b)})`;
  };
  const clock = ['settb=1/90000', `setpts='${search(0, ticks.length)}'`];
  await writeFile(path, [...filters, ...clock].join(','));
  return ['-filter_script:v', path, '-fps_mode', 'passthrough', '-enc_time_base', '1:90000'];
}
