import type { ClipInfo } from '../media/probe.ts';

/** What a person should know about footage that is worked on nevertheless, in sentences. */
export function noticesOf({ interlaced }: Pick<ClipInfo, 'interlaced'>, cuts: readonly number[]): string[] {
  const out: string[] = [];
  if (cuts.length > 0) {
    out.push(
      `The picture changes at once at frame ${cuts.join(', ')}: a cut, a flash or black. ` +
        'Nothing is carried from one side to the other.',
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
