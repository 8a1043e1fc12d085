import { frameBytes } from '../core/image/format.ts';
import { colourMeaning, TURN } from './colour.ts';
import { beginAt, type FrameClock } from './decode.ts';
import type { StoredFormat } from './pixelFormat.ts';
import { FILES_ONLY, pipeThroughFfmpeg } from './processes.ts';
import type { ClipInfo } from './probe.ts';

/** Reads one frame of a clip, all planes as stored. */
export async function readClipFrame(
  path: string,
  clip: FrameClock,
  stored: StoredFormat,
  frame: number,
  signal?: AbortSignal,
): Promise<Uint8Array> {
  const { seek, filters } = beginAt(frame, clip);
  const filter = filters.length > 0 ? ['-vf', filters.join(',')] : [];
  const args = [...FILES_ONLY, '-noautorotate', ...seek, '-i', path];
  const raw = [
    '-map',
    '0:v:0',
    ...filter,
    '-fps_mode',
    'passthrough',
    '-frames:v',
    '1',
    '-f',
    'rawvideo',
    '-pix_fmt',
    stored.pixelFormat,
    'pipe:1',
  ];
  const bytes = await pipeThroughFfmpeg([...args, ...raw], undefined, signal);
  if (bytes.length !== frameBytes(stored.format)) throw new RangeError(`frame ${frame} could not be read`);
  return bytes;
}

/** A frame as an upright PNG, 8 bit RGB, full size. */
export function framePng(frame: Uint8Array, clip: ClipInfo, stored: StoredFormat): Promise<Buffer> {
  const filters = [...TURN[clip.rotation], rgbFilter(clip), 'format=rgb24'].join(',');
  const source = ['-f', 'rawvideo', '-pix_fmt', stored.pixelFormat, '-s', `${clip.width}x${clip.height}`];
  // Level 1: made to be looked at once, on this machine.
  const png = [
    '-vf',
    filters,
    '-frames:v',
    '1',
    '-c:v',
    'png',
    '-compression_level',
    '1',
    '-f',
    'image2pipe',
    'pipe:1',
  ];
  return pipeThroughFfmpeg([...source, '-i', 'pipe:0', ...png], frame);
}

/** The filter that turns a clip's samples into full-range RGB. */
export const rgbFilter = (clip: ClipInfo): string =>
  `scale=${colourMeaning(clip)}:out_range=pc:flags=bicubic+accurate_rnd+full_chroma_int`;
