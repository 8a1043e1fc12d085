import { invert3, multiply3, type Matrix3 } from '../src/core/geometry/homography.ts';
import { sequence } from './noise.ts';

/** World: x right, y up, z away, metres. */
export type Vec3 = readonly [number, number, number];

export interface Pose {
  position: Vec3;
  /** Turn right, tilt up, roll clockwise, radians. */
  yaw: number;
  pitch: number;
  roll: number;
  /** Factor on the lens's focal length, 1 without it. */
  zoom?: number;
}

export interface Lens {
  width: number;
  height: number;
  /** Focal length, px. */
  focal: number;
  /** Radial distortion: r_undistorted = r·(1 + k1·(r/half width)²). */
  k1: number;
  /** Time from the first to the last row, seconds (rolling shutter). */
  readout: number;
  /** Exposure, seconds. */
  shutter: number;
}

/** A rectangle in space: texture coordinate (u, v) in 0..1 lies at origin + u·across + v·down. */
export interface Plane {
  origin: Vec3;
  across: Vec3;
  down: Vec3;
}

const sub = (a: Vec3, b: Vec3): Vec3 => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];

/** Rotation from world to camera (x right, y down, z forward), row-major. */
function worldToCamera({ yaw, pitch, roll }: Pose): Matrix3 {
  const [cy, sy, cp, sp, cr, sr] = [yaw, pitch, roll].flatMap((a) => [Math.cos(a), Math.sin(a)]);
  const turn = [cy, 0, -sy, 0, 1, 0, sy, 0, cy];
  const tilt = [1, 0, 0, 0, cp, -sp, 0, sp, cp];
  const flip = [1, 0, 0, 0, -1, 0, 0, 0, 1];
  const lean = [cr, sr, 0, -sr, cr, 0, 0, 0, 1];
  return multiply3(lean, multiply3(flip, multiply3(tilt, turn)));
}

/** The camera's right, down and ahead, in the world. */
export function cameraAxes(pose: Pose): [Vec3, Vec3, Vec3] {
  const r = worldToCamera(pose);
  return [0, 3, 6].map((i): Vec3 => [r[i], r[i + 1], r[i + 2]]) as [Vec3, Vec3, Vec3];
}

/** Homography from undistorted px (centred on the lens axis) to the plane's (u, v). */
export function pixelToPlane(pose: Pose, plane: Plane, focal: number): Matrix3 {
  return invert3(planeToPixel(pose, plane, focal));
}

/** Homography from a plane's (u, v) to undistorted px centred on the lens axis. @param unzoomed - Focal length of the lens, px. */
export function planeToPixel(pose: Pose, plane: Plane, unzoomed: number): Matrix3 {
  const focal = unzoomed * (pose.zoom ?? 1);
  const r = worldToCamera(pose);
  const columns = [plane.across, plane.down, sub(plane.origin, pose.position)].map((v) =>
    [0, 1, 2].map((i) => r[3 * i] * v[0] + r[3 * i + 1] * v[1] + r[3 * i + 2] * v[2]),
  );
  const m = new Float64Array(9);
  columns.forEach((column, c) => {
    m[c] = focal * column[0];
    m[3 + c] = focal * column[1];
    m[6 + c] = column[2];
  });
  return m;
}

/** Undistorted, centred place of a pixel. */
export function undistort(lens: Lens, x: number, y: number): [number, number] {
  const dx = x - (lens.width - 1) / 2;
  const dy = y - (lens.height - 1) / 2;
  const half = lens.width / 2;
  const k = 1 + (lens.k1 * (dx * dx + dy * dy)) / (half * half);
  return [dx * k, dy * k];
}

/** Pixel of an undistorted, centred place, by fixed-point steps. */
export function distort(lens: Lens, u: number, v: number): [number, number] {
  const half = lens.width / 2;
  let [dx, dy] = [u, v];
  for (let i = 0; i < 8; i++) {
    const k = 1 + (lens.k1 * (dx * dx + dy * dy)) / (half * half);
    [dx, dy] = [u / k, v / k];
  }
  return [dx + (lens.width - 1) / 2, dy + (lens.height - 1) / 2];
}

/**
 * The unrest of a hand: sums of sines whose amplitude falls with frequency, as a tremor's spectrum does.
 * @returns A function of time with values of about ±1.
 */
export function handUnrest(seed: number): (t: number) => number {
  const random = sequence(seed);
  const waves = Array.from({ length: 14 }, (_, i) => {
    const f = 0.25 * 1.42 ** i;
    return { f: f * (0.9 + 0.2 * random()), a: 1 / (1 + (f / 0.8) ** 1.5), p: random() * 2 * Math.PI };
  });
  const total = Math.sqrt(waves.reduce((s, w) => s + w.a * w.a, 0));
  return (t) => waves.reduce((s, w) => s + w.a * Math.sin(2 * Math.PI * w.f * t + w.p), 0) / total;
}
