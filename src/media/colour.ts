import type { ClipInfo } from './probe.ts';

/** From this height on, footage without colour tags is taken for high definition. */
const HD_HEIGHT = 720;

const MATRICES: Record<string, string> = {
  bt709: 'bt709',
  smpte170m: 'smpte170m',
  bt470bg: 'smpte170m',
  fcc: 'fcc',
  smpte240m: 'smpte240m',
  bt2020nc: 'bt2020',
  bt2020c: 'bt2020',
};

type Coloured = Pick<ClipInfo, 'colour' | 'width' | 'height' | 'pixelFormat'>;

/** ffmpeg's `scale` options that say how a clip's samples are meant (ITU-R BT.601, BT.709, BT.2020). */
export function colourMeaning({ colour, width, height, pixelFormat }: Coloured): string {
  const guess = Math.min(width, height) >= HD_HEIGHT ? 'bt709' : 'smpte170m';
  const matrix = MATRICES[colour.space ?? ''] ?? guess;
  const full = colour.range === 'pc' || pixelFormat.startsWith('yuvj');
  return `in_color_matrix=${matrix}:in_range=${full ? 'pc' : 'tv'}`;
}

/** Filters that turn frames as stored (clockwise turn, degrees) upright. */
export const TURN: Readonly<Record<number, string[]>> = {
  0: [],
  90: ['transpose=clock'],
  180: ['hflip', 'vflip'],
  270: ['transpose=cclock'],
};
