/** Corners of one frame as another one, the source, shows them; all in unit space, interleaved x, y. */
export interface View {
  /** Where they are in the frame itself. */
  places: Float64Array;
  /** Where the camera's plane puts each corner, and the third homogeneous coordinate there (1 at the frame's centre). */
  guess: Float64Array;
  scale: Float64Array;
  /** How far from its guess each corner was found; NaN where it was not. */
  moved: Float64Array;
}

/**
 * The epipole (3), and by how much the camera's motion is off in the source, what is added to the homography: its first two rows, by 1, x
 * and y (6), and the third one, by x and y (2); unit space.
 */
export type Epipole = Float64Array;
export const EPIPOLE = 11;

/** An epipole with a camera's motion that is right. */
export const epipoleOn = (e0: number, e1: number, e2: number): Epipole =>
  Float64Array.of(e0, e1, e2, 0, 0, 0, 0, 0, 0, 0, 0);

/**
 * Where the source shows a place x, y of the frame, and the third homogeneous coordinate there, once the camera's motion is put right.
 * @param gx, gy, scale - What the camera's motion says of them.
 */
export function putRight(
  e: Epipole,
  x: number,
  y: number,
  gx: number,
  gy: number,
  scale: number,
): [number, number, number] {
  const w = scale + e[9] * x + e[10] * y;
  return [(scale * gx + e[3] + e[4] * x + e[5] * y) / w, (scale * gy + e[6] + e[7] * x + e[8] * y) / w, w];
}

/** Where a point of a depth lies in the source, as a movement from where the camera's motion, put right, says. */
export function parallaxOf(e: Epipole, x: number, y: number, scale: number, depth: number): [number, number] {
  const q = depth / (scale + depth * e[2]);
  return [q * (e[0] - e[2] * x), q * (e[1] - e[2] * y)];
}

/** How far a depth of 1 moves a corner at the place at which a source, its camera's motion put right, shows it. */
export const perDepth = ({ guess, scale, moved }: View, e: Epipole, i: number): [number, number] => [
  (e[0] - e[2] * (guess[2 * i] + moved[2 * i])) / scale[i],
  (e[1] - e[2] * (guess[2 * i + 1] + moved[2 * i + 1])) / scale[i],
];
