/** Where a parabola through three values one apart has its least, or, of their opposites, its most: between -0.5 and 0.5 of a step. */
export function vertex(before: number, least: number, after: number): number {
  const bend = before + after - 2 * least;
  if (!(bend > 0) || !Number.isFinite(bend)) return 0;
  return Math.max(-0.5, Math.min(0.5, (before - after) / (2 * bend)));
}
