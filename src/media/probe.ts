import { open, stat } from 'node:fs/promises';
import { AppError } from '../core/errors.ts';
import { ffprobe } from './processes.ts';

/** What is known of a clip. Times in seconds, sizes in px as stored (before rotation). */
export interface ClipInfo {
  width: number;
  height: number;
  frames: number;
  /** Frames per second as a fraction: the nominal rate of a clip with variable frame rate. */
  rate: { num: number; den: number };
  variableRate: boolean;
  duration: number;
  codec: string;
  pixelFormat: string;
  /** Clockwise turn, degrees, that a player applies: 0, 90, 180 or 270. */
  rotation: number;
  colour: { range?: string; space?: string; primaries?: string; transfer?: string };
  interlaced: boolean;
  audio: boolean;
  container: string;
  /** Time stamp of the first frame as the file counts, seconds. */
  start: number;
  /** Presentation time of each frame, seconds from the first. */
  times: number[];
}

/** Size of the picture as it is shown: turned by the rotation flag. */
export function shownSize({ width, height, rotation }: Pick<ClipInfo, 'width' | 'height' | 'rotation'>): {
  width: number;
  height: number;
} {
  return rotation % 180 === 90 ? { width: height, height: width } : { width, height };
}

interface Stream {
  codec_type: string;
  codec_name?: string;
  width?: number;
  height?: number;
  pix_fmt?: string;
  r_frame_rate?: string;
  avg_frame_rate?: string;
  field_order?: string;
  color_range?: string;
  color_space?: string;
  color_primaries?: string;
  color_transfer?: string;
  tags?: Record<string, string>;
  side_data_list?: { rotation?: number }[];
  disposition?: Record<string, number>;
}

/** Limits beyond which a file is refused rather than tried. */
export const CLIP_LIMITS = { side: 8192, frames: 20_000 };

/**
 * Reads what a clip is, without decoding it.
 * @throws AppError `no_file`, `not_video`, `no_frames`, `too_large`, `cut_off`.
 */
export async function probeClip(path: string): Promise<ClipInfo> {
  const size = await stat(path).then(
    (s) => s.size,
    () => undefined,
  );
  if (size === undefined) throw new AppError('no_file', `There is no file ${path}.`, { path });
  const { streams, container } = await readStreams(path);
  const video = streams.find((s) => s.codec_type === 'video' && !s.disposition?.attached_pic);
  if (!video?.width || !video.height || !video.pix_fmt) {
    throw new AppError('not_video', 'There is no picture in this file that can be read. Choose a video file.', {
      path,
    });
  }
  checkSize(video.width, video.height);
  const { start, times } = await packetTimes(path);
  if (times.length === 0)
    throw new AppError('no_frames', 'The file has a picture track without a single frame.', { path });
  if (times.length > CLIP_LIMITS.frames) {
    throw new AppError(
      'too_long',
      `The clip has ${times.length} frames; at most ${CLIP_LIMITS.frames} are worked on. Cut it into parts.`,
    );
  }
  const { rate, variable } = rateOf(video, times);
  return {
    width: video.width,
    height: video.height,
    frames: times.length,
    rate,
    variableRate: variable,
    duration: times[times.length - 1] + rate.den / rate.num,
    codec: video.codec_name ?? 'unknown',
    pixelFormat: video.pix_fmt,
    rotation: rotationOf(video),
    colour: {
      range: video.color_range,
      space: video.color_space,
      primaries: video.color_primaries,
      transfer: video.color_transfer,
    },
    interlaced: !['progressive', 'unknown', undefined].includes(video.field_order),
    audio: streams.some((s) => s.codec_type === 'audio'),
    container,
    start,
    times,
  };
}

async function readStreams(path: string): Promise<{ streams: Stream[]; container: string }> {
  try {
    const text = await ffprobe(['-of', 'json', '-show_streams', '-show_format', path]);
    const parsed = JSON.parse(text) as { streams?: Stream[]; format?: { format_name?: string } };
    return { streams: parsed.streams ?? [], container: parsed.format?.format_name ?? 'unknown' };
  } catch (error) {
    if (!(error instanceof AppError) || error.code !== 'media_failed') throw error;
    const log = String(error.details.log ?? error.message);
    if (await beginsLikeVideo(path)) {
      throw new AppError('cut_off', 'The file is cut off: its end is missing. Copy it again from the camera or card.', {
        log,
      });
    }
    throw new AppError('not_video', 'This is not a video file that can be read. Choose another file.', { log });
  }
}

/** Whether a file starts with the signature of a container: then it is a damaged video rather than something else. */
async function beginsLikeVideo(path: string): Promise<boolean> {
  const file = await open(path);
  try {
    const { buffer, bytesRead } = await file.read(Buffer.alloc(12), 0, 12, 0);
    if (bytesRead < 12) return false;
    const isoBox = ['ftyp', 'moov', 'mdat', 'wide', 'free'].includes(buffer.toString('latin1', 4, 8));
    return isoBox || buffer.readUInt32BE(0) === 0x1a45dfa3 || buffer.toString('latin1', 0, 4) === 'RIFF';
  } finally {
    await file.close();
  }
}

function checkSize(width: number, height: number): void {
  if (Math.max(width, height) > CLIP_LIMITS.side || Math.min(width, height) < 16) {
    throw new AppError(
      'too_large',
      `The picture is ${width}x${height}; sides from 16 to ${CLIP_LIMITS.side} px are worked on.`,
    );
  }
}

/** Presentation times of all packets, in order, from 0. */
async function packetTimes(path: string): Promise<{ start: number; times: number[] }> {
  const text = await ffprobe([
    '-select_streams',
    'v:0',
    '-show_entries',
    'packet=pts_time,dts_time',
    '-of',
    'csv=p=0',
    path,
  ]);
  const times = text.split('\n').flatMap((line) => {
    const [pts, dts] = line.split(',').map(Number.parseFloat);
    const time = Number.isFinite(pts) ? pts : dts;
    return Number.isFinite(time) ? [time] : [];
  });
  times.sort((a, b) => a - b);
  const first = times[0] ?? 0;
  return { start: first, times: times.map((t) => Math.round((t - first) * 1e6) / 1e6) };
}

function rateOf(video: Stream, times: number[]): { rate: { num: number; den: number }; variable: boolean } {
  const nominal = fraction(video.r_frame_rate);
  const average = fraction(video.avg_frame_rate) ?? nominal;
  const step = average ? average.den / average.num : 1 / 25;
  // Half a frame of deviation from an even clock cannot be rounding of time stamps.
  const variable = times.some((t, i) => Math.abs(t - i * step) > Math.max(0.5 * step, 0.002));
  // What files say of uneven frames is the finest or the most frequent step; the average keeps number and length together.
  const last = times.at(-1)!;
  if (!variable || last <= 0) return { rate: average ?? { num: 25, den: 1 }, variable };
  const num = Math.max(1, Math.round((1000 * (times.length - 1)) / last));
  return { rate: { num, den: 1000 }, variable };
}

function fraction(text: string | undefined): { num: number; den: number } | undefined {
  const [num, den] = (text ?? '').split('/').map(Number);
  return num > 0 && den > 0 ? { num, den } : undefined;
}

function rotationOf(video: Stream): number {
  const side = video.side_data_list?.find((s) => s.rotation !== undefined)?.rotation;
  const turn = side !== undefined ? -side : Number(video.tags?.rotate ?? 0);
  return (((Math.round(turn / 90) * 90) % 360) + 360) % 360;
}
