import { shareOf, type Stays } from '../core/fixed/stays.ts';
import { cutsOf } from '../core/motion/scenes.ts';
import type { ClipInfo } from '../media/probe.ts';
import type { TakeResult } from '../media/take.ts';

/** What a person should know about footage that is worked on nevertheless, in sentences. */
export function noticesOf(
  { interlaced }: Pick<ClipInfo, 'interlaced'>,
  { stays: { bars, fixed }, motion, carried }: Pick<TakeResult, 'stays' | 'motion' | 'carried'>,
): string[] {
  const out: string[] = [];
  const cuts = cutsOf(motion.scenes);
  if (cuts.length > 0) {
    out.push(
      `The picture changes at once at frame ${cuts.join(', ')}: a cut, a flash or black. ` +
        'Nothing is carried from one side to the other.',
    );
  }
  if (bars) {
    const sides = Object.entries(bars).flatMap(([side, px]: [string, number]) => (px > 0 ? [`${side} ${px} px`] : []));
    out.push(`The film has black bars (${sides.join(', ')}): they stay as they are, and nothing is taken from them.`);
  }
  if (fixed) {
    const percent = (100 * shareOf(fixed)).toFixed(1);
    out.push(
      `Something is fixed to the picture, such as a logo or a time code (${percent} % of it): it stays as it is, and nothing is taken from it.`,
    );
  }
  if (carried) {
    out.push(
      'What goes away is on something that moves, such as lettering on a car: that is followed instead of the background, ' +
        'and the fill is made from it. To have the background seen through it, mark all of the thing.',
    );
  }
  if (interlaced) {
    out.push(
      'The clip is interlaced. Its frames are filled as they are, so that edges in motion may look combed in the fill: ' +
        'deinterlace it first (ffmpeg -i in.mov -vf bwdif -c:v ffv1 out.mkv).',
    );
  }
  return out;
}

/** What stays as it is, for a report: bars as px from the sides, what is fixed to the picture as its share. */
export const staysJson = ({ bars, fixed }: Stays): object => ({ bars, fixed: fixed && { share: shareOf(fixed) } });
