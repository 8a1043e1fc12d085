import { AppError } from '../core/errors.ts';
import type { FrameFormat } from '../core/image/format.ts';
import { TURN } from './colour.ts';
import { storedFormat, type StoredFormat } from './pixelFormat.ts';
import type { ClipInfo } from './probe.ts';
import { FILES_ONLY, startFfmpeg } from './processes.ts';

/** Long side of a draft's frames, px. */
const DRAFT_LONG_SIDE = 480;

export interface DecodeTarget {
  path: string;
  stored: StoredFormat;
  /** What is done to the frames before they are stored, at their full size. */
  filters?: readonly string[];
}

/** Whole-number factor by which a draft is smaller than its clip. */
export const draftFactor = (width: number, height: number): number =>
  Math.max(1, Math.ceil(Math.max(width, height) / DRAFT_LONG_SIDE));

/** Format of the frames that a draft is computed on. */
export function draftFormat(stored: StoredFormat, factor: number): StoredFormat {
  const { width, height } = stored.format;
  return storedFormat(stored.pixelFormat, Math.ceil(width / factor), Math.ceil(height / factor));
}

/** Where frames of a clip are found: what {@link ClipInfo} says of its clock and its container. */
export type FrameClock = Pick<ClipInfo, 'start' | 'times' | 'container'>;

/** Frames first..first + count - 1 of a clip. */
export interface FrameRange extends FrameClock {
  first: number;
  count: number;
}

const WHOLE: FrameClock = { start: 0, times: [], container: '' };

/** Containers with an index by time, in which a seek finds the frame that was meant. */
const SEEKABLE = /mp4|mov|matroska|webm/;

/**
 * What makes decoding begin with a given frame: arguments before `-i`, and filters. Where the container can be trusted,
 * a seek to half way between that frame and the one before, in the file's own clock; else all frames before it are
 * decoded and left out.
 */
export function beginAt(first: number, { start, times, container }: FrameClock): { seek: string[]; filters: string[] } {
  if (first === 0) return { seek: [], filters: [] };
  if (!SEEKABLE.test(container)) return { seek: [], filters: [`select=gte(n\\,${first})`] };
  const time = start + (times[first - 1] + times[first]) / 2;
  return { seek: ['-seek_timestamp', '1', '-ss', time.toFixed(6)], filters: [] };
}

/**
 * Decodes every frame once, or those of a range, into plain planar files: at full
 * size, smaller, or both. Frames come out as stored: not rotated, none dropped or doubled for the sake of a clock.
 */
export async function decodeFrames(
  input: string,
  targets: readonly DecodeTarget[],
  clip: Pick<ClipInfo, 'width'>,
  signal?: AbortSignal,
  range?: FrameRange,
): Promise<void> {
  const { seek, filters } = beginAt(range?.first ?? 0, range ?? WHOLE);
  const args = [...FILES_ONLY, '-noautorotate', ...seek, '-i', input];
  for (const { path, stored, filters: own = [] } of targets) {
    const { width, height } = stored.format;
    const scale = width === clip.width ? [] : [`scale=${width}:${height}:flags=area`];
    const chain = [...filters, ...scale, ...own];
    const filter = chain.length > 0 ? ['-vf', chain.join(',')] : [];
    args.push(
      '-map',
      '0:v:0',
      ...filter,
      '-fps_mode',
      'passthrough',
      ...(range ? ['-frames:v', String(range.count)] : []),
      '-f',
      'rawvideo',
      '-pix_fmt',
      stored.pixelFormat,
      path,
    );
  }
  await startFfmpeg(args, { signal }).done;
}

/** The container's count of frames is a claim; what was decoded is the fact. */
export const cutOff = (claimed: number, decoded: number): AppError =>
  new AppError(
    'cut_off',
    `The footage should have ${claimed} frames, but only ${decoded} can be decoded. Copy it again from the camera or card.`,
  );

/**
 * 8-bit grey of a matte: the hole in the first plane.
 * @param held - With a second plane for holdouts: what stays in front, and shows nothing of the background.
 */
export function matteFormat(width: number, height: number, held = false): FrameFormat {
  const plane = { width, height, stepX: 1, stepY: 1 };
  return { width, height, depth: 8, planes: held ? [plane, plane] : [plane], colourPlanes: 1 };
}

/**
 * Decodes a matte to 8-bit grey in the orientation of the footage as stored. A matte drawn on the picture as it is
 * shown (turned by the clip's rotation flag) is turned back. With a holdout, the hole is the matte without it, and the holdout
 * becomes the second plane.
 *
 * @param anyLength - The matte may be longer or shorter than the footage; a holdout then is as long as the matte.
 * @throws AppError `matte_size`, `matte_length`.
 */
export async function decodeMatte(
  path: string,
  matte: ClipInfo,
  clip: ClipInfo,
  out: string,
  signal?: AbortSignal,
  holdout?: { path: string; info: ClipInfo },
  anyLength = false,
): Promise<void> {
  const frames = anyLength ? matte.frames : clip.frames;
  const filter = filterOf(matte, clip, frames);
  const tail = ['-fps_mode', 'passthrough', '-f', 'rawvideo', '-pix_fmt', 'gray', out];
  if (!holdout) {
    const vf = filter.length > 0 ? ['-vf', filter.join(',')] : [];
    const args = [...FILES_ONLY, '-noautorotate', '-i', path, '-map', '0:v:0', ...vf, ...tail];
    return startFfmpeg(args, { signal }).done;
  }
  const grey = (input: number, turn: string[], to: string): string =>
    `[${input}:v:0]${[...turn, 'format=gray'].join(',')}${to}`;
  // Planes lie one after another, as two pictures one above the other do.
  const graph = [
    grey(0, filter, '[m]'),
    grey(1, filterOf(holdout.info, clip, frames), ',split[k][n]'),
    '[n]negate[free];[m][free]blend=all_mode=multiply[hole];[hole][k]vstack[out]',
  ].join(';');
  const inputs = [path, holdout.path].flatMap((file) => ['-noautorotate', '-i', file]);
  await startFfmpeg([...FILES_ONLY, ...inputs, '-filter_complex', graph, '-map', '[out]', ...tail], { signal }).done;
}

/** What turns a matte to lie as the footage does. @throws AppError `matte_size`, `matte_length`. */
function filterOf(matte: ClipInfo, clip: ClipInfo, frames: number): string[] {
  const upright = matte.width === clip.width && matte.height === clip.height;
  const turned = clip.rotation % 180 === 90 && matte.width === clip.height && matte.height === clip.width;
  if (!upright && !turned) {
    throw new AppError(
      'matte_size',
      `The matte is ${matte.width}x${matte.height}, the footage ${clip.width}x${clip.height}. Render the matte at the footage's size.`,
    );
  }
  if (matte.frames !== frames) {
    throw new AppError(
      'matte_length',
      `The matte has ${matte.frames} frames, the footage ${frames}. They must have the same frames.`,
    );
  }
  return turned ? TURN[360 - clip.rotation] : [];
}
