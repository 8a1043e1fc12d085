/** A wall of stones of many sizes, from -1 to 1. */
export function stones(x: number, y: number): number {
  const value = (i: number, j: number, size: number): number => {
    let h = Math.imul(i * 73856093 + j * 19349663 + size * 83492791, 2654435761);
    h = Math.imul(h ^ (h >>> 15), 2246822519);
    return (h >>> 0) / 2 ** 31 - 1;
  };
  return 0.6 * value(Math.floor(x / 9), Math.floor(y / 6), 1) + 0.4 * value(Math.floor(x / 3), Math.floor(y / 3), 2);
}

/** How a camera in the hand moves, whole px. */
export const hand = (t: number): [number, number] => [Math.round(3 * Math.sin(t / 5)), Math.round(2 * Math.cos(t / 4))];
