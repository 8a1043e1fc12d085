import { agreementWithFrame, MEASURABLE_SUPPORT, type Gathered } from './gathered.ts';

/** Depth helps if what it leaves unexplained of the rim is less than this share of what the camera's plane does. */
const LEFT = 0.85;

/**
 * Whether depth puts the sources of a region where they belong. Told on the rim, where the frame itself is known: a world that the camera
 * goes past is shown far better by its depths than by one plane, but people who pass and light that wanders are explained no better
 * by surfaces, however many are found in them.
 *
 * @param plain - Gathered on the camera's plane.
 * @param deep - The same region, gathered from the same sources with its depths.
 */
export function depthHelps(plain: Gathered, deep: Gathered): boolean {
  const { known } = plain.region;
  const tau = Math.min(plain.tau, deep.tau);
  let [without, withDepth] = [0, 0];
  for (let i = 0; i < known.length; i++) {
    if (known[i] === 0 || plain.support[i] < MEASURABLE_SUPPORT || deep.support[i] < MEASURABLE_SUPPORT) continue;
    without += 1 - agreementWithFrame(plain, i, tau);
    withDepth += 1 - agreementWithFrame(deep, i, tau);
  }
  return withDepth < LEFT * without;
}
