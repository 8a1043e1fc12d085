import type { ClipView } from '../../../contract/clips.ts';
import type { ShotView } from '../../../contract/shots.ts';

/** What a new shot takes at most: more is seldom one shot. */
const USUAL_FRAMES = 600;

/** What is offered for a new shot. */
export type ShotOffer = Pick<ShotView, 'name' | 'first' | 'last'>;

/**
 * A new shot of a clip that may have some: it is named after the clip, with a number if that is taken, and begins where the last one ends.
 * If they reach to the clip's end it begins at its start.
 *
 * @param frames - Of the clip.
 */
export function newShotOf({ name }: Pick<ClipView, 'name'>, frames: number, shots: readonly ShotOffer[]): ShotOffer {
  const after = Math.max(-1, ...shots.map(({ last }) => last)) + 1;
  const first = after < frames ? after : 0;
  return {
    name: freeName(name.replace(/\.[^.]+$/, ''), new Set(shots.map((shot) => shot.name))),
    first,
    last: Math.min(frames, first + USUAL_FRAMES) - 1,
  };
}

function freeName(base: string, taken: ReadonlySet<string>): string {
  if (!taken.has(base)) return base;
  let number = 2;
  while (taken.has(`${base} ${number}`)) number++;
  return `${base} ${number}`;
}
