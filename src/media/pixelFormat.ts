import { AppError } from '../core/errors.ts';
import type { FrameFormat, PlaneFormat } from '../core/image/format.ts';

/** How footage is held while it is worked on: a planar pixel format that keeps every sample of the clip's own. */
export interface StoredFormat {
  /** ffmpeg's name of the planar format. */
  pixelFormat: string;
  format: FrameFormat;
}

/** Packed and big-endian formats and the planar ones that hold the same samples. */
const PLANAR: Record<string, string> = {
  nv12: 'yuv420p',
  nv21: 'yuv420p',
  nv16: 'yuv422p',
  yuyv422: 'yuv422p',
  uyvy422: 'yuv422p',
  yvyu422: 'yuv422p',
  nv24: 'yuv444p',
  p010le: 'yuv420p10le',
  p016le: 'yuv420p16le',
  y210le: 'yuv422p10le',
  rgb24: 'gbrp',
  bgr24: 'gbrp',
  rgb0: 'gbrp',
  bgr0: 'gbrp',
  '0rgb': 'gbrp',
  '0bgr': 'gbrp',
  pal8: 'gbrap',
  rgba: 'gbrap',
  bgra: 'gbrap',
  argb: 'gbrap',
  abgr: 'gbrap',
  rgb48le: 'gbrp16le',
  rgb48be: 'gbrp16le',
  bgr48le: 'gbrp16le',
  rgba64le: 'gbrap16le',
  rgba64be: 'gbrap16le',
  monow: 'gray',
  monob: 'gray',
  ya8: 'gray',
};

const STEPS: Record<string, [number, number]> = {
  '420': [2, 2],
  '422': [2, 1],
  '444': [1, 1],
  '440': [1, 2],
};

/**
 * The planar format for a clip.
 * @throws AppError `pixel_format` if the format is one that is not worked on.
 */
export function storedFormat(pixelFormat: string, width: number, height: number): StoredFormat {
  const name = PLANAR[pixelFormat] ?? pixelFormat.replace(/be$/, 'le');
  const yuv = /^yuv(a?)(j?)(420|422|444|440)p(\d*)(?:le)?$/.exec(name);
  const rgb = /^gbr(a?)p(\d*)(?:le)?$/.exec(name);
  const grey = /^gray(\d*)(?:le)?$/.exec(name);
  const full: PlaneFormat = { width, height, stepX: 1, stepY: 1 };
  if (yuv) {
    const [stepX, stepY] = STEPS[yuv[3]];
    const chroma = { width: Math.ceil(width / stepX), height: Math.ceil(height / stepY), stepX, stepY };
    const planes = [full, chroma, { ...chroma }, ...(yuv[1] ? [{ ...full }] : [])];
    return { pixelFormat: name, format: { width, height, depth: Number(yuv[4]) || 8, planes, colourPlanes: 3 } };
  }
  if (rgb) {
    const planes = Array.from({ length: rgb[1] ? 4 : 3 }, () => ({ ...full }));
    const depth = Number(rgb[2]) || 8;
    return { pixelFormat: name, format: { width, height, depth, planes, colourPlanes: 3, rgb: true } };
  }
  if (grey) {
    return {
      pixelFormat: name,
      format: { width, height, depth: Number(grey[1]) || 8, planes: [full], colourPlanes: 1 },
    };
  }
  throw new AppError(
    'pixel_format',
    `The pixel format ${pixelFormat} cannot be worked on. Convert the clip to YUV 4:2:0, 4:2:2, 4:4:4 or RGB with 8 to 16 bits.`,
    { pixelFormat },
  );
}

/** What the FFV1 encoder takes for a planar format, sample for sample. */
export function ffv1Format(pixelFormat: string): string {
  if (pixelFormat === 'gbrp') return 'bgr0';
  if (pixelFormat === 'gbrap') return 'bgra';
  return pixelFormat.replace('yuvj', 'yuv');
}

/** What the HuffYUV encoder takes, sample for sample: sizes that divide by two, and not every depth. */
export function huffFormat({ pixelFormat, format }: StoredFormat): string | undefined {
  if (format.width % 2 !== 0 || format.height % 2 !== 0) return undefined;
  const name = pixelFormat.replace('yuvj', 'yuv');
  return /^(yuv(420|422|444)p|gbrp)((9|10|12|14|16)le)?$|^gray(16le)?$/.test(name) ? name : undefined;
}
