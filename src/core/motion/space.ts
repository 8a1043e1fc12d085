/**
 * Unit space: the frame centred at 0, half its width = 1. Motions are estimated here, so that the parameters of a
 * homography have effects of comparable size.
 */
export interface UnitSpace {
  /** Centre, frame px. */
  cx: number;
  cy: number;
  /** Frame px per unit. */
  half: number;
}

export function unitSpace(width: number, height: number): UnitSpace {
  return { cx: (width - 1) / 2, cy: (height - 1) / 2, half: width / 2 };
}

export const toUnit = (s: UnitSpace, x: number, y: number): [number, number] => [
  (x - s.cx) / s.half,
  (y - s.cy) / s.half,
];
