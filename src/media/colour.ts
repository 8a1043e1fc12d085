import type { ColourModel } from '../core/image/colourModel.ts';
import type { StoredFormat } from './pixelFormat.ts';
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

/** Shares of red and blue in luma, by ffmpeg's name of the matrix (ITU-R BT.709, BT.601, BT.2020; SMPTE 240M; FCC). */
const LUMA: Record<string, [number, number]> = {
  bt709: [0.2126, 0.0722],
  smpte170m: [0.299, 0.114],
  fcc: [0.3, 0.11],
  smpte240m: [0.212, 0.087],
  bt2020: [0.2627, 0.0593],
};

type Coloured = Pick<ClipInfo, 'colour' | 'width' | 'height' | 'pixelFormat'>;

/** What a clip's samples mean; untagged footage is guessed by its height. */
export function meantMatrix({ colour, width, height, pixelFormat }: Coloured): { matrix: string; full: boolean } {
  const guess = Math.min(width, height) >= HD_HEIGHT ? 'bt709' : 'smpte170m';
  const full = colour.range === 'pc' || pixelFormat.startsWith('yuvj');
  return { matrix: MATRICES[colour.space ?? ''] ?? guess, full };
}

/** ffmpeg's `scale` options that say how a clip's samples are meant (ITU-R BT.601, BT.709, BT.2020). */
export function colourMeaning(clip: Coloured): string {
  const { matrix, full } = meantMatrix(clip);
  return `in_color_matrix=${matrix}:in_range=${full ? 'pc' : 'tv'}`;
}

/** What the samples of a clip mean to the core. */
export function colourModel(clip: Coloured, { pixelFormat }: Pick<StoredFormat, 'pixelFormat'>): ColourModel {
  const { matrix, full } = meantMatrix(clip);
  const [kr, kb] = LUMA[matrix];
  const kind = pixelFormat.startsWith('gbr') ? 'rgb' : pixelFormat.startsWith('gray') ? 'grey' : 'ycc';
  // RGB uses all values unless it says otherwise; grey is luma.
  return { kind, kr, kb, full: full || (kind === 'rgb' && clip.colour.range !== 'tv') };
}

/** Filters that turn frames as stored (clockwise turn, degrees) upright. */
export const TURN: Readonly<Record<number, string[]>> = {
  0: [],
  90: ['transpose=clock'],
  180: ['hflip', 'vflip'],
  270: ['transpose=cclock'],
};
