/**
 * A value between px (bilinear).
 *
 * @param values - Rows of px, one after another, of `channels` values each.
 * @param x, y - Px, with a neighbour to the right and below.
 */
export function bilinear(values: Float32Array, width: number, x: number, y: number, channels = 1, channel = 0): number {
  const [ix, iy] = [Math.floor(x), Math.floor(y)];
  const [ax, ay] = [x - ix, y - iy];
  const at = channels * (iy * width + ix) + channel;
  const below = at + channels * width;
  const top = values[at] + ax * (values[at + channels] - values[at]);
  const bottom = values[below] + ax * (values[below + channels] - values[below]);
  return top + ay * (bottom - top);
}
