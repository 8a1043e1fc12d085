import type { Link } from './links.ts';

/** Agreeing points below which two frames share no motion, and with which two far ones surely do. */
export const FEW_POINTS = 15;
const ENOUGH_POINTS = 24;
/** Neighbours whose small pictures correlate less show something else. */
const LEAST_LIKENESS = 0.6;

/** Whether a frame shows nothing of the one before: the film was cut there, or something flashed or went black. */
export function isCut({ from, to, fit, likeness }: Link): boolean {
  return to === from + 1 && fit.inliers < FEW_POINTS && likeness < LEAST_LIKENESS;
}

/**
 * Which frames belong together: neighbours do unless the film is cut between them, and so do frames farther apart whose
 * points agree, so that a flash or a few black frames part nothing.
 *
 * @returns Per frame the number of its scene: that of the scene's first frame.
 */
export function scenesOf(count: number, links: readonly Link[]): Uint32Array {
  const scene = Uint32Array.from({ length: count }, (_, t) => t);
  const root = (t: number): number => {
    while (scene[t] !== t) t = scene[t];
    return t;
  };
  const join = (a: number, b: number): void => {
    const [first, other] = [root(a), root(b)].sort((p, q) => p - q);
    scene[other] = first;
  };
  const cut = new Set(links.filter(isCut).map((link) => link.to));
  for (let t = 1; t < count; t++) if (!cut.has(t)) join(t - 1, t);
  for (const { from, to, fit } of links) if (to > from + 1 && fit.inliers >= ENOUGH_POINTS) join(from, to);
  return scene.map((_, t) => root(t));
}

/** Frames at which another scene begins, or goes on, than the one before. */
export function cutsOf(scenes: Uint32Array): number[] {
  return [...scenes.keys()].filter((t) => t > 0 && scenes[t] !== scenes[t - 1]);
}
