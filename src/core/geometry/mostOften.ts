/** The number that occurs most often among some, at least one; the smallest of several such. */
export function mostOften(numbers: Iterable<number>): number {
  const counts = new Map<number, number>();
  for (const n of numbers) counts.set(n, (counts.get(n) ?? 0) + 1);
  return [...counts].sort((a, b) => b[1] - a[1] || a[0] - b[0])[0][0];
}
