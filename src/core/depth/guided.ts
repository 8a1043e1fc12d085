import type { CameraMotion } from '../motion/cameraMotion.ts';
import { unitSpace } from '../motion/space.ts';
import { moveByDepth, viewFrom } from './depthPlaces.ts';
import type { Epipole, View } from './epipole.ts';
import type { Aim, CornerFollower } from './followCorners.ts';
import { likeliest, withOneMore, type Known } from './parallax.ts';

/**
 * Corners of a frame, interleaved x, y in frame px, with their depths (NaN where unknown) and how these change per unit of space along x and
 * y, interleaved.
 */
export interface DeepCorners {
  corners: Float64Array;
  depths: Float64Array;
  slopes: Float64Array;
}

/** Depths of corners, and epipoles of sources. */
export interface Guided {
  depths: Float64Array;
  epipoles: Map<number, Epipole>;
}

/** Sizes of the picture at which corners are looked for again, and how often. */
const LEVELS = 3;
const TRIES = 3;
/** Where a source is lost, frames so far from each other are gone through on the way to it. */
const STRIDE = 8;

/**
 * Sources far away on a way forward or back show everything larger or smaller, what is near more than what is far: corners are lost there
 * that the camera's plane puts in the wrong place, at the wrong size. Depths tell both. Sources are asked outwards, each with its
 * own epipole if it has one, else with that of the one before as it goes on; what is found by it tells the epipole better.
 */
export class Guide {
  constructor(
    private readonly camera: CameraMotion,
    private readonly follower: Pick<CornerFollower, 'moved'>,
    private readonly frame: number,
    private readonly deep: DeepCorners,
    /** One px of the analysis image in unit space. */
    private readonly px: number,
  ) {}

  /**
   * @param views - What each source shows without guidance.
   * @param first - Epipoles that are known already.
   * @returns Epipoles of all sources in which depths are known, and these as far as they tell.
   */
  all(views: ReadonlyMap<number, View>, first: ReadonlyMap<number, Epipole>): Guided {
    const found = new Map(first);
    let known: Known = {
      views: [...first.keys()].map((s) => views.get(s)!),
      epipoles: [...first.values()],
      depths: this.deep.depths,
    };
    const take = (source: number, more: Known | undefined): boolean => {
      if (!more) return false;
      known = more;
      found.set(source, more.epipoles.at(-1)!);
      return true;
    };
    for (const source of [...views.keys()].sort((a, b) => this.away(a) - this.away(b))) {
      if (found.has(source) || take(source, this.alone(known, views.get(source)!, this.aimAt(source, found)))) continue;
      const way = [...this.stonesTo(source, found), source];
      way.every((step) => take(step, this.guidedTo(known, step, this.aimAt(step, found))));
    }
    return { depths: known.depths, epipoles: new Map([...found].filter(([s]) => views.has(s))) };
  }

  private away(source: number): number {
    return Math.abs(source - this.frame);
  }

  /** The last one that is known on the way to a source. */
  private lastBefore(source: number, found: ReadonlyMap<number, Epipole>): number | undefined {
    const before = [...found.keys()].filter(
      (s) => (s - this.frame) * (source - this.frame) > 0 && this.away(s) < this.away(source),
    );
    return before.sort((a, b) => this.away(b) - this.away(a))[0];
  }

  /** Frames on the way to a source, if it is far. */
  private stonesTo(source: number, found: ReadonlyMap<number, Epipole>): number[] {
    const last = this.lastBefore(source, found);
    if (last === undefined) return [];
    const steps = Math.ceil(Math.abs(source - last) / STRIDE);
    return Array.from({ length: steps - 1 }, (_, k) => Math.round(last + ((k + 1) * (source - last)) / steps));
  }

  /** The epipole as it goes on from the last one that is known. */
  private aimAt(source: number, found: ReadonlyMap<number, Epipole>): Epipole | undefined {
    const last = this.lastBefore(source, found);
    return last === undefined ? undefined : found.get(last)!.map((v) => (v * this.away(source)) / this.away(last));
  }

  /** With what a source shows without guidance. */
  private alone(known: Known, own: View, aim: Epipole | undefined): Known | undefined {
    const e = likeliest(own, known, this.px, aim);
    return e && withOneMore(known, own, e, this.px);
  }

  /** With what a source shows where corners are looked for by what its epipole may be. */
  private guidedTo(known: Known, source: number, aim: Epipole | undefined): Known | undefined {
    let e = aim;
    for (let k = 0; e && k < TRIES; k++) {
      const view = this.again(source, e);
      e = likeliest(view, known, this.px, e);
      const more = e && withOneMore(known, view, e, this.px);
      if (more) return more;
    }
    return undefined;
  }

  private again(source: number, e: Epipole): View {
    const { corners } = this.deep;
    const moved = this.follower.moved(this.frame, source, corners, this.aimed(source, e), LEVELS);
    return viewFrom(this.camera, this.frame, source, corners, moved);
  }

  /** Where an epipole puts the corners whose depths are known, and how what is around them is turned and stretched there. */
  private aimed(source: number, e: Epipole): Aim {
    const { camera, frame, deep } = this;
    const { width, height } = camera.data;
    const { half } = unitSpace(width, height);
    const h = this.px * half;
    const asked = [...deep.depths.keys()].filter((i) => !Number.isNaN(deep.depths[i]));
    const from = Float64Array.from(
      asked.flatMap((i) => {
        const [x, y] = [deep.corners[2 * i], deep.corners[2 * i + 1]];
        return [x, y, x + h, y, x, y + h];
      }),
    );
    const to = from.slice();
    camera.map(frame, source, to);
    const guess = to.slice();
    moveByDepth(camera, frame, source, e, from, to, (n) => {
      const i = asked[Math.floor(n / 3)];
      const [x, y] = [n % 3 === 1 ? this.px : 0, n % 3 === 2 ? this.px : 0];
      return deep.depths[i] + deep.slopes[2 * i] * x + deep.slopes[2 * i + 1] * y;
    });
    const expected = new Float64Array(deep.corners.length);
    const turns = new Float64Array(2 * deep.corners.length);
    const inside: number[] = [];
    asked.forEach((i, k) => {
      const [x, y, ax, ay, bx, by] = to.subarray(6 * k, 6 * k + 6);
      expected.set([x - guess[6 * k], y - guess[6 * k + 1]], 2 * i);
      turns.set([(ax - x) / h, (bx - x) / h, (ay - y) / h, (by - y) / h], 4 * i);
      if (x > 0 && y > 0 && x < width && y < height) inside.push(i);
    });
    return { asked: inside, expected, turns };
  }
}
