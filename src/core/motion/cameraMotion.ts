import { identity3, invert3, multiply3, type Matrix3 } from '../geometry/homography.ts';
import { median } from '../geometry/linear.ts';
import type { Link } from './links.ts';
import { residualsOf } from './field.ts';
import { addMesh, solveMesh } from './mesh.ts';
import { scenesOf } from './scenes.ts';
import { unitSpace, type UnitSpace } from './space.ts';
import { linkResiduals, solvePoses } from './solve.ts';
import { addWobble, solveWobble } from './wobble.ts';

/** Corner movement over the whole shot below which the camera counts as standing still, frame px at 1080p. */
const TRIPOD_PX = 0.25;
/** The same in scales of a match's error. */
const TRIPOD_SIGMAS = 0.4;
/** A camera rests too if its movement typically stays as many times below that as it rises above it in some frames. */
const PULLED = 1.5;

/** Plain data, to be stored and sent to threads. */
export interface CameraMotionData {
  width: number;
  height: number;
  count: number;
  /** 9 per frame: frame → common plane, in unit space. */
  poses: Float64Array;
  /** Residual mesh, or empty. */
  mesh: Float32Array;
  /** Displacements of rows, if these wobble: see `solveWobble`. */
  wobble?: Float32Array;
  tripod: boolean;
  /** Robust error of the matches under the solution, frame px. */
  residualPx: number;
  /** Per frame: matches on links that touch it. Few = the picture gave little to hold on to. */
  support: Float32Array;
  /** Per frame the number of its scene, see {@link scenesOf}: nothing is carried from one to another. */
  scenes: Uint32Array;
  /** Where this is the motion of something that carries what goes away: that of the background. */
  background?: CameraMotionData;
}

/** The motion of the background seen by the camera: places of one frame in any other. */
export class CameraMotion {
  private readonly space: UnitSpace;
  private readonly aspect: number;
  private readonly inverse: Matrix3[] = [];

  constructor(readonly data: CameraMotionData) {
    this.space = unitSpace(data.width, data.height);
    this.aspect = data.height / data.width;
  }

  /** Whether two frames show the same place. */
  sameScene(a: number, b: number): boolean {
    return this.data.scenes[a] === this.data.scenes[b];
  }

  /** Homography of frame px from `from` to `to`, without the residual mesh. */
  plane(from: number, to: number): Matrix3 {
    if (this.data.tripod) return identity3();
    const { cx, cy, half } = this.space;
    const fromPx = Float64Array.of(1 / half, 0, -cx / half, 0, 1 / half, -cy / half, 0, 0, 1);
    const toPx = Float64Array.of(half, 0, cx, 0, half, cy, 0, 0, 1);
    return multiply3(toPx, multiply3(this.relative(from, to), fromPx));
  }

  private relative(from: number, to: number): Matrix3 {
    const back = (this.inverse[to] ??= invert3(this.data.poses.subarray(to * 9, to * 9 + 9)));
    return multiply3(back, this.data.poses.subarray(from * 9, from * 9 + 9));
  }

  /**
   * Places of many points of frame `from` in frame `to`.
   * @param points - Interleaved x, y, frame px; overwritten.
   */
  map(from: number, to: number, points: Float32Array | Float64Array): void {
    if (this.data.tripod || from === to) return;
    const { cx, cy, half } = this.space;
    const m = this.relative(from, to);
    const bent = this.data.mesh.length > 0 || this.data.wobble !== undefined;
    const d = { x: 0, y: 0 };
    for (let i = 0; i < points.length; i += 2) {
      let x = (points[i] - cx) / half;
      let y = (points[i + 1] - cy) / half;
      if (bent) {
        this.displacement(from, x, y, d);
        x += d.x;
        y += d.y;
      }
      const q = 1 / (m[6] * x + m[7] * y + m[8]);
      let u = (m[0] * x + m[1] * y + m[2]) * q;
      let v = (m[3] * x + m[4] * y + m[5]) * q;
      if (bent) {
        // The place q with q + displacement(q) = (u, v), by two fixed-point steps: it is smooth and small.
        this.displacement(to, u, v, d);
        this.displacement(to, u - d.x, v - d.y, d);
        u -= d.x;
        v -= d.y;
      }
      points[i] = u * half + cx;
      points[i + 1] = v * half + cy;
    }
  }

  private displacement(frame: number, x: number, y: number, out: { x: number; y: number }): void {
    const { mesh, wobble } = this.data;
    out.x = 0;
    out.y = 0;
    if (mesh.length > 0) addMesh(mesh, frame, x, y, this.aspect, out);
    if (wobble) addWobble(wobble, frame, y, this.aspect, out);
  }
}

/**
 * The camera's motion from measured links: poses solved together, a residual mesh, rows that wobble, and the finding of a tripod.
 *
 * @param frameSigma - Scale of an honest match's error, frame px.
 * @param bends - Whether the residual mesh and the rows are solved, which only a full take can show.
 */
export function solveCamera(
  width: number,
  height: number,
  count: number,
  measured: readonly Link[],
  frameSigma: number,
  bends = true,
): CameraMotionData {
  const { half } = unitSpace(width, height);
  const aspect = height / width;
  const sigma = frameSigma / half;
  const scenes = scenesOf(count, measured);
  const links = measured.filter(({ from, to }) => scenes[from] === scenes[to]);
  const poses = solvePoses(count, links, sigma);
  const support = new Float32Array(count);
  for (const link of links) {
    support[link.from] += link.matches.length / 4;
    support[link.to] += link.matches.length / 4;
  }
  // What small frames cannot measure is no movement.
  const still = Math.max(TRIPOD_PX * (width / 1920), TRIPOD_SIGMAS * frameSigma);
  const tripod = count === 1 || rests(movements(poses, aspect), still / half);
  const seen = tripod || !bends ? undefined : residualsOf(links, poses);
  const shaken = seen && solveWobble(count, seen, sigma, aspect);
  const mesh = seen ? solveMesh(count, shaken?.left ?? seen, sigma, aspect) : new Float32Array(0);
  const flat = new Float64Array(9 * count);
  poses.forEach((m, t) => flat.set(tripod ? identity3() : m, 9 * t));
  return {
    width,
    height,
    count,
    poses: flat,
    mesh,
    ...(shaken && { wobble: shaken.wobble }),
    tripod,
    support,
    scenes,
    residualPx: residual(links, poses) * half,
  };
}

/**
 * Whether what moved by so much at the picture's corners rests. Where leaves and water are most of what is followed, they pull a
 * frame here and there.
 *
 * @param moved - In ascending order. @param still - In the same unit.
 */
function rests(moved: readonly number[], still: number): boolean {
  const most = moved[Math.floor(moved.length * 0.95)];
  return most < still || (most < still * PULLED && moved[moved.length >> 1] < still / PULLED);
}

/** Movements of the picture's corners against the common plane, unit space, in ascending order. */
function movements(poses: Matrix3[], aspect: number): number[] {
  const moved = poses.flatMap((m) =>
    [
      [-1, -aspect],
      [1, -aspect],
      [-1, aspect],
      [1, aspect],
    ].map(([x, y]) => {
      const q = 1 / (m[6] * x + m[7] * y + m[8]);
      return Math.hypot((m[0] * x + m[1] * y + m[2]) * q - x, (m[3] * x + m[4] * y + m[5]) * q - y);
    }),
  );
  return moved.sort((a, b) => a - b);
}

function residual(links: readonly Link[], poses: Matrix3[]): number {
  const all: number[] = [];
  for (const link of links) {
    const { error } = linkResiduals(link, poses);
    for (let i = 0; i < error.length; i += 16) all.push(Math.hypot(error[i], error[i + 1]));
  }
  return median(all);
}
