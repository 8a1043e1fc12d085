/** Numbers from -0.5 to 0.5, the same each time (Park & Miller 1988). */
export function randomFrom(seed: number): () => number {
  let state = seed;
  return () => (state = (state * 16807) % 2147483647) / 2147483647 - 0.5;
}

/** Numbers of mean 0 and variance 1, near Gaussian. */
export function gaussFrom(seed: number): () => number {
  const random = randomFrom(seed);
  return () => (random() + random() + random() + random()) * Math.sqrt(3);
}

/** Numbers from 0 to 1, the same each time. */
export function diceFrom(seed: number): () => number {
  const random = randomFrom(seed);
  return () => random() + 0.5;
}
