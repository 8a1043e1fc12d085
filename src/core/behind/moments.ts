import type { Point } from '../geometry/homography.ts';
import { median } from '../geometry/linear.ts';
import { areaOf, grown } from '../movers/maskPatch.ts';
import { align, type Body } from './align.ts';
import type { Looks } from './looks.ts';
import type { Step } from '../movers/linkRegions.ts';
import type { Passer } from './passages.ts';
import { turnedBody, turnOf, type Turn } from './turn.ts';
import { nearestOf, type Way } from './way.ts';

/** A frame in which a hole hides somebody, and one that shows them. */
export interface Moment {
  frame: number;
  from: number;
  /** From there to here, px of the small frames. */
  way: Point;
  /** How the body is turned on the way. */
  turn?: Turn;
}

/** How far away in time a frame may be that shows what is hidden. */
const REACH = 45;
/** What it costs, in 8-bit levels of mean difference, to go on with another frame than the next one, where that is unknown, and to be a
 * frame farther away. */
const JUMP = 3;
const STOP = 10;
const AWAY = 0.03;
/** What it costs, in the same levels, if all of a body looks like what is behind it, or its mask is not its own: it cannot be
 * cut out well. */
const LOST = 25;
/** By such a share of it the size of a body changes as limbs swing. */
const SWINGS = 0.12;
/** How far beside its way a body is searched for, px. */
const NEAR = 2;
const CLOSE = 1;
/** Share of a body that must be seen to tell where it is. */
const LEAST_SEEN = 0.3;

/** Share of a body that a hole hides at least once. */
const LEAST_HIDDEN = 0.25;

/** How a body of one frame fits into another. */
interface Fit {
  mismatch: number;
  seen: number;
  /** Beside the way, px. */
  off: Point;
}

/** Of what cannot be compared nothing is said. */
const NOTHING: Fit = { mismatch: 0, seen: 0, off: { x: 0, y: 0 } };

/**
 * For each frame in which a hole hides somebody, a frame of the same body that looks like what is seen of it, and goes on as the one
 * before: limbs swing on. The best run of frames is found by dynamic programming, as in video textures (Schödl et al., SIGGRAPH 2000).
 */
export class Moments {
  private readonly free: Set<number>;

  /** @param bodyAt - The body in a free frame. */
  constructor(
    private readonly passer: Passer,
    private readonly way: Way,
    private readonly bodyAt: (frame: number) => Body,
    private readonly looks: Looks,
    private readonly step: Step,
    /** What of a body looks like what is behind it, 0..1, in a free frame. */
    private readonly blendsIn: (frame: number) => number,
  ) {
    this.free = new Set(passer.free);
  }

  find(): Moment[] {
    return this.hiddenRuns().flatMap((run) => this.chosen(run));
  }

  /** Runs of frames in which a hole lies over somebody. */
  private hiddenRuns(): number[][] {
    const runs: number[][] = [];
    for (const t of [...this.way.keys()].sort((a, b) => a - b)) {
      if (this.free.has(t) || !this.isHidden(t)) continue;
      const run = runs.at(-1);
      if (run?.at(-1) === t - 1) run.push(t);
      else runs.push([t]);
    }
    return runs;
  }

  /** Whether the body, as the nearest frame that shows it, lies under a matte. */
  private isHidden(t: number): boolean {
    const nearest = nearestOf(this.passer.free, t);
    const [a, b] = [this.way.get(nearest)!, this.way.get(t)!];
    const mask = grown(this.passer.bodies.get(nearest)!, NEAR);
    const [dx, dy] = [Math.round(b.x - a.x), Math.round(b.y - a.y)];
    const { width, height } = this.looks;
    const hidden = this.looks.hidden(t);
    return mask.data.some((v, i) => {
      const [x, y] = [mask.x + (i % mask.width) + dx, mask.y + Math.floor(i / mask.width) + dy];
      return v === 1 && x >= 0 && y >= 0 && x < width && y < height && hidden[y * width + x] > 0;
    });
  }

  private turn(s: number, t: number): Turn | undefined {
    return turnOf(this.step(s, t), this.way.get(s)!, this.bodyAt(s).mask);
  }

  private fit(s: number, t: number, radius: number, there?: Body): Fit {
    const [a, b] = [this.way.get(s)!, this.way.get(t)!];
    const guess = { x: b.x - a.x, y: b.y - a.y };
    const found = align(this.looks, turnedBody(this.bodyAt(s), this.turn(s, t)), t, guess, radius, there);
    return found ? { ...found, off: { x: found.way.x - guess.x, y: found.way.y - guess.y } } : NOTHING;
  }

  /** What it costs to go on with each of some frames after frame s: how unlike they are to the one after it. */
  private costAfter(s: number, candidates: readonly number[]): Float64Array {
    const isNext = this.free.has(s + 1);
    const next = isNext ? s + 1 : s;
    const jump = isNext ? JUMP : STOP;
    const there = this.bodyAt(next);
    return Float64Array.from(candidates, (c) =>
      isNext && c === next ? 0 : jump + this.fit(c, next, CLOSE, there).mismatch,
    );
  }

  private chosen(run: readonly number[]): Moment[] {
    const candidates = this.passer.free.filter((s) => s >= run[0] - REACH && s <= run.at(-1)! + REACH);
    if (candidates.length === 0) return [];
    const fits = run.map((t) => candidates.map((s) => this.fit(s, t, NEAR)));
    const areas = candidates.map((s) => areaOf(this.passer.bodies.get(s)!));
    const usual = median(areas);
    // Of a mask that is much smaller than usual something is missing; a larger one has a part of somebody else.
    const odd = (area: number): number => Math.min(1, Math.max(0, Math.abs(1 - area / usual) - SWINGS));
    const lost = candidates.map((s, c) => LOST * (this.blendsIn(s) + odd(areas[c])));
    const own = (k: number, c: number): number =>
      fits[k][c].mismatch * Math.sqrt(fits[k][c].seen) + lost[c] + AWAY * Math.abs(candidates[c] - run[k]);
    const after = candidates.map((s) => this.costAfter(s, candidates));
    const picks = cheapest(run.length, candidates.length, own, (a, c) => after[a][c]);
    // Whoever passes before a hole only touches it.
    if (picks.every((c, k) => fits[k][c].seen > 1 - LEAST_HIDDEN)) return [];
    return this.placed(run, picks, candidates, fits);
  }

  /** The moments, each where what is seen of the body says; where too little is, as the frames before and after. */
  private placed(
    run: readonly number[],
    picks: readonly number[],
    candidates: readonly number[],
    fits: readonly (readonly Fit[])[],
  ): Moment[] {
    const offs = picks.map((c, k) => (fits[k][c].seen >= LEAST_SEEN ? fits[k][c].off : undefined));
    return run.map((frame, k) => {
      const from = candidates[picks[k]];
      const [a, b] = [this.way.get(from)!, this.way.get(frame)!];
      const off = offs[k] ?? offBetween(offs, k);
      const way = { x: b.x - a.x + off.x, y: b.y - a.y + off.y };
      return { frame, from, way, turn: this.turn(from, frame) };
    });
  }
}

/** The cheapest choices of n steps among so many each (Viterbi 1967). */
function cheapest(
  n: number,
  among: number,
  own: (step: number, choice: number) => number,
  between: (before: number, choice: number) => number,
): number[] {
  let costs = Float64Array.from({ length: among }, (_, c) => own(0, c));
  const came: Int32Array[] = [];
  for (let k = 1; k < n; k++) {
    const next = new Float64Array(among).fill(Infinity);
    const from = new Int32Array(among);
    for (let a = 0; a < among; a++) {
      for (let c = 0; c < among; c++) {
        const total = costs[a] + between(a, c);
        if (total < next[c]) [next[c], from[c]] = [total, a];
      }
    }
    costs = next.map((v, c) => v + own(k, c));
    came.push(from);
  }
  let best = costs.indexOf(Math.min(...costs));
  const picks = [best];
  for (let k = n - 1; k > 0; k--) picks.unshift((best = came[k - 1][best]));
  return picks;
}

/** Between the nearest that are known on both sides, in time. */
function offBetween(offs: readonly (Point | undefined)[], k: number): Point {
  const before = offs.slice(0, k).findLastIndex(Boolean);
  const after = offs.findIndex((o, i) => i > k && o !== undefined);
  const [a, b] = [offs[before] ?? offs[after], offs[after] ?? offs[before]];
  if (!a || !b) return { x: 0, y: 0 };
  const part = after > before && before >= 0 ? (k - before) / (after - before) : 0;
  return { x: a.x + part * (b.x - a.x), y: a.y + part * (b.y - a.y) };
}
