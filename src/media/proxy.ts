import { rename, rm } from 'node:fs/promises';
import { pumpFrames } from './encode.ts';
import { colourMeaning, TURN } from './colour.ts';
import type { StoredFormat } from './pixelFormat.ts';
import { FILES_ONLY, startFfmpeg } from './processes.ts';
import { shownSize, type ClipInfo } from './probe.ts';

/** Long side of a proxy, px. */
const PROXY_LONG_SIDE = 960;
const STRIP_HEIGHT = 72;
/** Width that a filmstrip fills, px. */
const STRIP_WIDTH = 1280;

/** Number of pictures in a clip's filmstrip. */
export function stripPictures(clip: ClipInfo): number {
  const { width, height } = shownSize(clip);
  return Math.max(1, Math.min(clip.frames, Math.floor(STRIP_WIDTH / ((STRIP_HEIGHT * width) / height))));
}

/**
 * Writes an all-intra H.264 proxy, upright, every frame of the clip in order, which a browser can step through.
 * Frame n has the time stamp n / rate, whatever the clip's clock, so that it can be addressed by its number.
 */
export async function writeProxy(
  input: string,
  clip: ClipInfo,
  output: string,
  onProgress: (done: number) => void,
  signal?: AbortSignal,
): Promise<void> {
  const part = `${output}.part.mp4`;
  // ffmpeg turns what it reads from a file by the rotation flag itself.
  const filter = proxyFilters(clip).join(',');
  const source = [...FILES_ONLY, '-i', input, '-map', '0:v:0', '-an', '-vf', filter];
  await whole(part, output, async () => {
    const running = startFfmpeg([...source, ...proxyCodec(clip), '-progress', 'pipe:1', part], {
      signal,
      progress: (frame) => onProgress(Math.min(1, frame / clip.frames)),
    });
    await running.done;
  });
}

/** Writes a proxy like {@link writeProxy} of frames handed over one by one, as stored. */
export async function writeFramesProxy(
  { clip, stored, count }: { clip: ClipInfo; stored: StoredFormat; count: number },
  output: string,
  next: (frame: number) => Uint8Array,
  signal?: AbortSignal,
): Promise<void> {
  const part = `${output}.part.mp4`;
  const source = ['-f', 'rawvideo', '-pix_fmt', stored.pixelFormat, '-s', `${clip.width}x${clip.height}`];
  const filter = [...TURN[clip.rotation], ...proxyFilters(clip)].join(',');
  await whole(part, output, async () => {
    const running = startFfmpeg([...source, '-i', 'pipe:0', '-an', '-vf', filter, ...proxyCodec(clip), part], {
      input: true,
      signal,
    });
    await pumpFrames(running, count, next, signal);
  });
}

function proxyFilters(clip: ClipInfo): string[] {
  const { width, height } = shownSize(clip);
  const scale = Math.min(1, PROXY_LONG_SIDE / Math.max(width, height));
  const even = (v: number): number => Math.max(2, 2 * Math.round((v * scale) / 2));
  const size = `${even(width)}:${even(height)}`;
  return [
    `scale=${size}:flags=area:${colourMeaning(clip)}:out_color_matrix=bt709:out_range=tv`,
    `setpts=N/(${clip.rate.num}/${clip.rate.den})/TB`,
  ];
}

function proxyCodec({ rate }: ClipInfo): string[] {
  const codec = [
    '-c:v',
    'libx264',
    '-preset',
    'veryfast',
    '-crf',
    '20',
    '-g',
    '1',
    '-tune',
    'fastdecode',
    '-pix_fmt',
    'yuv420p',
  ];
  const tags = ['-colorspace', 'bt709', '-color_primaries', 'bt709', '-color_trc', 'bt709', '-movflags', '+faststart'];
  return ['-r', `${rate.num}/${rate.den}`, ...codec, ...tags];
}

/** Writes evenly spaced pictures of a clip side by side as one JPEG. */
export async function writeStrip(input: string, clip: ClipInfo, output: string, signal?: AbortSignal): Promise<void> {
  const n = stripPictures(clip);
  const step = clip.frames / n;
  const wanted = Array.from({ length: n }, (_, i) => `eq(n,${Math.floor((i + 0.5) * step)})`).join('+');
  const filter = `select='${wanted}',scale=-2:${STRIP_HEIGHT},tile=${n}x1`;
  const part = `${output}.part.jpg`;
  await whole(
    part,
    output,
    () =>
      startFfmpeg([...FILES_ONLY, '-i', input, '-map', '0:v:0', '-vf', filter, '-frames:v', '1', '-q:v', '4', part], {
        signal,
      }).done,
  );
}

/** Makes a file under a temporary name; it gets its own when it is whole. */
async function whole(part: string, output: string, make: () => Promise<void>): Promise<void> {
  try {
    await make();
    await rename(part, output);
  } finally {
    await rm(part, { force: true });
  }
}
