/** At most so many of all, evenly spread. */
export function evenly<T>(all: readonly T[], most: number): T[] {
  const step = Math.max(1, all.length / most);
  const out: T[] = [];
  for (let i = 0; Math.floor(i) < all.length && out.length < most; i += step) out.push(all[Math.floor(i)]);
  return out;
}
