import { rename, rm } from 'node:fs/promises';
import { extname } from 'node:path';
import { withoutEdge } from '../core/fill/stillPlate.ts';
import { TILE } from '../core/fill/region.ts';
import { AppError } from '../core/errors.ts';
import { frameBytes, maxSample, planeViews, snap, type PlaneFormat, type Rect } from '../core/image/format.ts';
import { colourMeaning, colourModel, meantMatrix, TURN } from './colour.ts';
import { storedFormat, type StoredFormat } from './pixelFormat.ts';
import type { StoredPlate } from './plateFile.ts';
import { FILES_ONLY, pipeThroughFfmpeg } from './processes.ts';
import { probeClip, shownSize, type ClipInfo } from './probe.ts';

/** Pictures that plates go out as. */
export const PLATE_KINDS = ['png', 'tif'] as const;

/** Turns back by the rotation flag. */
const TURN_BACK: Readonly<Record<number, string[]>> = { 0: [], 90: TURN[270], 180: TURN[180], 270: TURN[90] };
const EXACT = 'flags=bicubic+accurate_rnd+full_chroma_int+full_chroma_inp';

/**
 * Writes a plate as an upright picture, 16 bit RGB with alpha: transparent where nothing is known.
 * @param output - Ends in .png or .tif.
 * @throws AppError `output_kind`, `pixel_format` for grey footage.
 */
export async function writePlatePicture(
  plate: StoredPlate,
  clip: ClipInfo,
  stored: StoredFormat,
  output: string,
): Promise<void> {
  const kind = PLATE_KINDS.find((k) => extname(output).toLowerCase() === `.${k}`);
  if (!kind)
    throw new AppError('output_kind', `A plate is written as .png or .tif, not as ${extname(output) || 'this'}.`);
  const part = `${output}.part.${kind}`;
  const held = plateFormat(stored);
  const raw = ['-f', 'rawvideo', '-pix_fmt', held.pixelFormat, '-s', `${clip.width}x${clip.height}`, '-i', 'pipe:0'];
  const format = kind === 'png' ? 'rgba64be' : 'rgba64le';
  const filters = [...TURN[clip.rotation], `scale=${colourMeaning(clip)}:out_range=pc:${EXACT}`, `format=${format}`];
  try {
    await pipeThroughFfmpeg(
      [...raw, '-vf', filters.join(','), '-frames:v', '1', '-update', '1', '-y', part],
      packed(plate, clip, stored, held),
    );
    await rename(part, output);
  } finally {
    await rm(part, { force: true });
  }
}

/** Long side of a plate that is to be looked at in a panel, px. */
const SMALL_SIDE = 560;

/** Writes a plate as a small upright PNG, 8 bit with alpha. */
export async function writeSmallPlate(
  plate: StoredPlate,
  clip: ClipInfo,
  stored: StoredFormat,
  output: string,
): Promise<void> {
  const whole = `${output}.whole.png`;
  const part = `${output}.part.png`;
  try {
    await writePlatePicture(plate, clip, stored, whole);
    const fit = `scale=w=${SMALL_SIDE}:h=${SMALL_SIDE}:force_original_aspect_ratio=decrease:flags=area,format=rgba`;
    await pipeThroughFfmpeg(
      [...FILES_ONLY, '-i', whole, '-vf', fit, '-frames:v', '1', '-update', '1', '-y', part],
      undefined,
    );
    await rename(part, output);
  } finally {
    for (const path of [whole, part]) await rm(path, { force: true });
  }
}

/**
 * Reads a picture as a plate of a clip: PNG, TIFF, or what else ffmpeg reads. Where it is transparent it knows nothing.
 * @throws AppError `no_file`, `not_picture`, `plate_size`, `pixel_format` for a plate of grey footage.
 */
export async function readPlatePicture(path: string, clip: ClipInfo, stored: StoredFormat): Promise<StoredPlate> {
  const info = await probeClip(path).catch((error: AppError) => {
    if (error.code === 'no_file') throw error;
    throw notPicture();
  });
  if (info.frames !== 1) throw notPicture();
  const { width, height } = shownSize(clip);
  if (info.width !== width || info.height !== height) {
    throw new AppError(
      'plate_size',
      `The picture is ${info.width}x${info.height}, the footage ${width}x${height}. A plate is as large as a frame.`,
    );
  }
  const held = plateFormat(stored);
  const { matrix, full } = meantMatrix(clip);
  const range = `in_range=pc:out_color_matrix=${matrix}:out_range=${full ? 'pc' : 'tv'}`;
  const filters = [
    'format=rgba64le',
    `scale=${range}:${EXACT}`,
    `format=${held.pixelFormat}`,
    ...TURN_BACK[clip.rotation],
  ];
  const args = [...FILES_ONLY, '-i', path, '-map', '0:v:0', '-vf', filters.join(','), '-frames:v', '1'];
  const bytes = await pipeThroughFfmpeg([...args, '-f', 'rawvideo', 'pipe:1'], undefined);
  if (bytes.length !== frameBytes(held.format)) throw notPicture();
  return unpacked(new Uint8Array(bytes), clip, stored, held);
}

const notPicture = (): AppError =>
  new AppError('not_picture', 'This is not a single picture that can be read. Bring in a PNG or a TIFF.');

/** The clip's planes with 16 bit, and one of alpha. */
function plateFormat({ pixelFormat, format }: StoredFormat): StoredFormat {
  const steps = /4(?:20|22|44)/.exec(pixelFormat)?.[0];
  const name = pixelFormat.startsWith('gbr') ? 'gbrap16le' : steps && `yuva${steps}p16le`;
  if (!name)
    throw new AppError('pixel_format', 'Plates are made of footage with colour in 4:2:0, 4:2:2, 4:4:4 or RGB.');
  return storedFormat(name, format.width, format.height);
}

/** By how much samples grow between a plate and 16 bit as ffmpeg means them: of a full range the top is 65535. */
function growth(clip: ClipInfo, stored: StoredFormat): number {
  const { format } = stored;
  return colourModel(clip, stored).full ? 65535 / (maxSample(format) * 2 ** (16 - format.depth)) : 1;
}

function packed(plate: StoredPlate, clip: ClipInfo, stored: StoredFormat, held: StoredFormat): Uint8Array {
  const out = new Uint8Array(frameBytes(held.format));
  const views = planeViews(out, held.format);
  const by = growth(clip, stored);
  plate.planes.forEach((samples, plane) =>
    eachSample(held.format.planes[plane], plate.rect, (to, from) => {
      views[plane][to] = Math.min(65535, Math.round(samples[from] * by));
    }),
  );
  const { known } = plate;
  eachSample(held.format.planes[0], plate.rect, (to, from) => {
    views[held.format.colourPlanes][to] = !known || known[from] === 1 ? 65535 : 0;
  });
  return out;
}

function unpacked(bytes: Uint8Array, clip: ClipInfo, stored: StoredFormat, held: StoredFormat): StoredPlate {
  const views = planeViews(bytes, held.format);
  const rect = snap({ x: 0, y: 0, width: clip.width, height: clip.height }, TILE);
  const by = 1 / growth(clip, stored);
  const planes = Array.from({ length: held.format.colourPlanes }, (_, plane) => {
    const p = held.format.planes[plane];
    const out = new Uint16Array((rect.width / p.stepX) * (rect.height / p.stepY));
    eachSample(p, rect, (from, to) => {
      out[to] = Math.round(views[plane][from] * by);
    });
    return out;
  });
  const known = new Uint8Array(rect.width * rect.height);
  eachSample(held.format.planes[0], rect, (from, to) => {
    known[to] = views[held.format.colourPlanes][from] > 65000 ? 1 : 0;
  });
  return { rect, planes, known: withoutEdge(known, rect.width, rect.height) };
}

/** Calls `use` with the place of each sample of a plane, and its place in a rectangle around the frame, from its corner. */
function eachSample(p: PlaneFormat, rect: Rect, use: (inPlane: number, inRect: number) => void): void {
  const stride = rect.width / p.stepX;
  for (let y = 0, i = 0; y < p.height; y++) for (let x = 0; x < p.width; x++, i++) use(i, y * stride + x);
}
