/** Detail of about `size` px, from -1 to 1. */
export function detail(x: number, y: number, size: number, seed: number): number {
  const value = (i: number, j: number): number => {
    let h = Math.imul(i * 73856093 + j * 19349663 + seed * 83492791, 2654435761);
    h = Math.imul(h ^ (h >>> 15), 2246822519);
    return (h >>> 0) / 2 ** 31 - 1;
  };
  const [i, j] = [Math.floor(x / size), Math.floor(y / size)];
  const [a, b] = [x / size - i, y / size - j];
  const top = value(i, j) * (1 - a) + value(i + 1, j) * a;
  const bottom = value(i, j + 1) * (1 - a) + value(i + 1, j + 1) * a;
  return top * (1 - b) + bottom * b;
}
