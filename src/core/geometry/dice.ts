/** One more than the largest number of {@link diceOf}. */
export const DICE_END = 2147483647;

/** Whole numbers from 1 to DICE_END − 1 that are the same each time (Park & Miller 1988). @param seed - From the same range. */
export function diceOf(seed: number): () => number {
  let state = seed;
  return () => (state = (state * 16807) % DICE_END);
}
