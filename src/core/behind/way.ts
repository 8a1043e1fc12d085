import { project, type Point } from '../geometry/homography.ts';
import type { Step } from '../movers/linkRegions.ts';
import { centreOf } from '../movers/maskPatch.ts';
import { align, type Body } from './align.ts';
import type { Looks } from './looks.ts';
import type { Passer } from './passages.ts';
import { turnedBody, turnOf } from './turn.ts';

/** Where somebody is, by frame: one point of the body, px of the small frames. */
export type Way = ReadonlyMap<number, Point>;

/** How far from where it is expected a body is searched for, px: from one frame to the next, and behind a hole. */
const NEAR = 3;
const AFTER = 8;
/** Frames over which somebody goes on as before. */
const SHORT = 4;
/** Free frames before a hole from which it is searched for in those after it, and these. */
const VIEWS = 12;
/** Of these every so-manieth one is searched for in frames that hide some of it. */
const EVERY = 3;
/** Share of a body that must be seen in a frame for it to be found there. */
const LEAST_SEEN = 0.35;
/** Mean difference of what is another body, 8-bit levels. */
const UNLIKE = 30;
/** Frames over which a movement is told. */
const TELLING = 8;

interface Found {
  place: Point;
  mismatch: number;
}

/** Follows somebody: from one free frame to the next, over what is hidden by whatever views are most alike; the rest lies between. */
export class Follower {
  private readonly found = new Map<number, Point>();

  /** @param bodyAt - The body in a free frame. */
  constructor(
    private readonly passer: Passer,
    private readonly bodyAt: (frame: number) => Body,
    private readonly looks: Looks,
    private readonly step: Step,
  ) {}

  way(): Way {
    const { free, bodies } = this.passer;
    const { x, y } = centreOf(bodies.get(free[0])!);
    this.found.set(free[0], { x, y });
    for (let k = 1; k < free.length; k++) {
      if (this.found.has(free[k])) continue;
      if (free[k] - free[k - 1] <= SHORT) this.goOn(free[k - 1], free[k]);
      else this.findAgain(k);
    }
    this.followHidden();
    for (let t = free[0] + 1; t < free.at(-1)!; t++) if (!this.found.has(t)) this.between(t);
    return this.found;
  }

  private goOn(last: number, t: number): void {
    this.place(t, this.shift(last, t, this.expected(this.found, t, 1), NEAR)?.place ?? this.expected(this.found, t, 1));
  }

  private place(t: number, at: Point): void {
    this.found.set(t, at);
  }

  /** The body of a known frame as the camera turns it on the way to another, around a place of its own. */
  private turned(from: number, to: number, place: Point): Body {
    const body = this.bodyAt(from);
    return turnedBody(body, turnOf(this.step(from, to), place, body.mask));
  }

  /** Where the body of a known frame is found in another free one, and how unlike it is. */
  private shift(from: number, to: number, guess: Point, radius: number): Found | undefined {
    const a = this.found.get(from)!;
    const way = { x: guess.x - a.x, y: guess.y - a.y };
    const seen = align(this.looks, this.turned(from, to, a), to, way, radius, this.bodyAt(to));
    return seen && { place: { x: a.x + seen.way.x, y: a.y + seen.way.y }, mismatch: seen.mismatch };
  }

  /** Finds the k-th free frame's place, the first after a hole. Limbs swing: some view before it is like one after it. */
  private findAgain(k: number): void {
    const { free, bodies } = this.passer;
    const t = free[k];
    let best: (Found & { at: number }) | undefined;
    for (const to of free.filter((u) => u >= t && u < t + VIEWS && (u - t) % EVERY === 0)) {
      const middle = centreOf(bodies.get(to)!);
      for (const from of free.slice(Math.max(0, k - VIEWS), k).filter((_, n) => n % EVERY !== 1)) {
        const [a, was] = [this.found.get(from)!, centreOf(bodies.get(from)!)];
        const seen = this.shift(from, to, { x: a.x + middle.x - was.x, y: a.y + middle.y - was.y }, AFTER);
        if (seen && seen.mismatch < (best?.mismatch ?? Infinity)) best = { ...seen, at: to };
      }
    }
    if (!best) return this.place(t, this.expected(this.found, t, 1));
    this.place(best.at, best.place);
    for (let n = free.indexOf(best.at); n > k; n--) {
      const [ahead, u] = [free[n], free[n - 1]];
      const a = this.found.get(ahead)!;
      const carried = project(this.step(ahead, u), a.x, a.y);
      this.place(u, this.shift(ahead, u, carried, 2 * NEAR)?.place ?? carried);
    }
  }

  /** Follows what is seen of the body into each hole, and back from behind it. */
  private followHidden(): void {
    const { free } = this.passer;
    for (let k = 1; k < free.length; k++) {
      const [last, first] = [free[k - 1], free[k]];
      const into = this.whileSeen(last, first, 1);
      const outOf = this.whileSeen(first, last, -1);
      for (let t = last + 1; t < first; t++) {
        const [a, b] = [into.get(t), outOf.get(t)];
        const better = a && b ? (a.mismatch < b.mismatch ? a : b) : (a ?? b);
        if (better) this.place(t, better.place);
      }
    }
    // Whoever is behind the hole when the film begins or ends.
    const frames = [...this.passer.bodies.keys()];
    const [first, last] = [free[0], free.at(-1)!];
    for (const [t, { place }] of this.whileSeen(first, Math.min(...frames) - 1, -1)) this.place(t, place);
    for (const [t, { place }] of this.whileSeen(last, Math.max(...frames) + 1, 1)) this.place(t, place);
  }

  /** Where the body is in the frames between two free ones, from one of them on as long as enough of it is seen. */
  private whileSeen(from: number, to: number, side: 1 | -1): Map<number, Found> {
    const views = this.passer.free.filter(
      (t) => (from - t) * side >= 0 && (from - t) * side < VIEWS && (from - t) % EVERY === 0,
    );
    const run = new Map<number, Point>(views.map((t) => [t, this.found.get(t)!]));
    const out = new Map<number, Found>();
    for (let t = from + side; t !== to; t += side) {
      const guess = this.expected(run, t, side);
      let best: Found | undefined;
      for (const view of views) {
        const a = this.found.get(view)!;
        const way = { x: guess.x - a.x, y: guess.y - a.y };
        const seen = align(this.looks, this.turned(view, t, a), t, way, NEAR);
        if (!seen || seen.seen < LEAST_SEEN || seen.mismatch >= (best?.mismatch ?? Infinity)) continue;
        best = { place: { x: a.x + seen.way.x, y: a.y + seen.way.y }, mismatch: seen.mismatch };
      }
      if (!best || best.mismatch > UNLIKE) break;
      run.set(t, best.place);
      out.set(t, best);
    }
    return out;
  }

  /** Own movement between two frames beside the camera's, px per frame of the second one. */
  private speed(places: Way, from: number, to: number): Point {
    const [a, b] = [places.get(from)!, places.get(to)!];
    const carried = project(this.step(from, to), a.x, a.y);
    return { x: (b.x - carried.x) / (to - from), y: (b.y - carried.y) / (to - from) };
  }

  private goneOn({ x, y }: Point, from: number, own: Point, t: number): Point {
    const carried = project(this.step(from, t), x, y);
    return { x: carried.x + (t - from) * own.x, y: carried.y + (t - from) * own.y };
  }

  /** Where somebody is expected at t, from the frames before it or, looking back, after it. */
  private expected(places: Way, t: number, side: 1 | -1): Point {
    const some = [...places.keys()]
      .filter((u) => (t - u) * side > 0)
      .sort((a, b) => (a - b) * side)
      .slice(-TELLING);
    const last = some.at(-1)!;
    const own = some.length > 1 ? this.speed(places, some[0], last) : { x: 0, y: 0 };
    return this.goneOn(places.get(last)!, last, own, t);
  }

  /** Between the frames that are known before and after. */
  private between(t: number): void {
    const known = [...this.found.keys()];
    const before = Math.max(...known.filter((u) => u < t));
    const after = Math.min(...known.filter((u) => u > t));
    this.place(t, this.goneOn(this.found.get(before)!, before, this.speed(this.found, before, after), t));
  }
}

export const nearestOf = (frames: readonly number[], t: number): number =>
  frames.reduce((a, b) => (Math.abs(b - t) < Math.abs(a - t) ? b : a));
