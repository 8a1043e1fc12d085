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

/** The epipole (3), and by how much the camera's motion is off in the source, a small homography (8); unit space. */
export type Epipole = Float64Array;
export const EPIPOLE = 11;

/** An epipole with a camera's motion that is right. */
export const epipoleOn = (e0: number, e1: number, e2: number): Epipole =>
  Float64Array.of(e0, e1, e2, 0, 0, 0, 0, 0, 0, 0, 0);

/** How far the camera's motion is off for a place of the frame. */
export function correctionAt(e: Epipole, x: number, y: number): [number, number] {
  const q = e[9] * x + e[10] * y;
  return [e[3] + e[4] * x + e[5] * y + q * x, e[6] + e[7] * x + e[8] * y + q * y];
}

/** Where a point of a depth lies in the source, as a movement from its guess. */
export function parallaxOf(e: Epipole, x: number, y: number, scale: number, depth: number): [number, number] {
  const q = depth / (scale + depth * e[2]);
  return [q * (e[0] - e[2] * x), q * (e[1] - e[2] * y)];
}
