/** Weights of four samples around a place between the second and the third (cubic convolution, Keys 1981, a = -1/2). */
export function cubicWeights(f: number): [number, number, number, number] {
  const [f2, f3] = [f * f, f * f * f];
  return [-0.5 * f3 + f2 - 0.5 * f, 1.5 * f3 - 2.5 * f2 + 1, -1.5 * f3 + 2 * f2 + 0.5 * f, 0.5 * f3 - 0.5 * f2];
}

/** A value between the samples of a plane that is so wide: x, y is the second of the four each way. */
export function cubicAt(
  values: Float32Array,
  width: number,
  x: number,
  y: number,
  wx: readonly number[],
  wy: readonly number[],
): number {
  let sum = 0;
  for (let v = 0; v < 4; v++) {
    const i = (y + v - 1) * width + x - 1;
    sum += wy[v] * (wx[0] * values[i] + wx[1] * values[i + 1] + wx[2] * values[i + 2] + wx[3] * values[i + 3]);
  }
  return sum;
}
