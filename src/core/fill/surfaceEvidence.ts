import { medianOfFirst } from '../geometry/linear.ts';
import { ramp } from '../geometry/ramp.ts';
import { agreementWithFrame, type Gathered } from './gathered.ts';
import { CELL, cellAt } from './offsetGrid.ts';
import { eachTileRow } from './region.ts';
import { ShownLuma, type Beyond } from './shownAround.ts';
import { ENOUGH } from './sourceAgreement.ts';

/** By how much less of the weights may agree about the nearer one of two: behind its edge others see the far one well. */
const NEARER = 0.09;
/** Shares of the usual agreement at which a surface is not there at all, and certainly there. */
const ABSENT = 0.5;
const PRESENT = 0.85;
/**
 * How much more may agree about what is behind, if the near surface shows something far lighter or darker than that, and than all that is shown around there:
 * frames seldom agree about that by chance, if it is not an edge of what is behind, a few px beside its place.
 */
const DIFFERS = 0.25;
const STANDS_OUT = 0.75;
/** The same where it is not known which surface is nearer: for the one that shows what is unlike all that the other one shows around there. */
const TELLS = 0.25;
/** From and to which difference this grows, in scales of agreement. */
const LIKE = 3;
const UNLIKE = 8;

/** What is gathered of tiles on two surfaces, and which these are of each. */
export interface Layers {
  first: Gathered;
  second: Gathered;
  surfaces: Uint8Array;
  beside: Uint8Array;
}

/**
 * Per px, how much better sources, and the frame itself on its rim, agree with the second surface; NaN = not told. Where it
 * is known which surface is nearer, a px belongs to that one if the sources agree about it as they do elsewhere: they may well
 * agree about what is behind it too.
 */
export function evidenceOf(both: Layers, secondIsNearer: readonly (boolean | undefined)[], tau: number): Float32Array {
  const { first, second, surfaces, beside } = both;
  const { region } = first;
  const out = new Float32Array(first.support.length).fill(NaN);
  const told = [toldOf(first), toldOf(second)];
  const around = shownOnEach(both, told);
  const isTold = told[0].map((one, i) => one & told[1][i]);
  const judge = new Judge(usualShare(both, isTold), tau);
  eachTileRow(region, (tile, from, to) => {
    const [beyondFirst, beyondSecond] = [around[surfaces[tile]]!, around[beside[tile]]!];
    const nearer = secondIsNearer[tile];
    const firstCell = cellAt(region, from);
    for (let i = from; i < to; i++) {
      if (isTold[i] === 0) continue;
      const at = { i, cell: firstCell + Math.floor((i - from) / CELL) };
      const lead = second.share[i] - first.share[i];
      if (region.known[i] === 1) out[i] = agreementWithFrame(second, i, tau) - agreementWithFrame(first, i, tau);
      else if (nearer === undefined)
        out[i] = lead + TELLS * (judge.telling(second, beyondFirst, at) - judge.telling(first, beyondSecond, at));
      else if (nearer) out[i] = lead + judge.favour(second, first, beyondFirst, at);
      else out[i] = lead - judge.favour(first, second, beyondSecond, at);
    }
  });
  return out;
}

/** A px of a region, and the cell of the offset grid in which it lies. */
interface At {
  i: number;
  cell: number;
}

/** What speaks for one of two surfaces besides the sources that agree about it. */
class Judge {
  constructor(
    /** Agreement about what is there. */
    private readonly usual: number,
    /** Difference from which samples disagree. */
    private readonly tau: number,
  ) {}

  /** How far a surface shows something that is unlike all that another one shows around there, 0..1: of a door its edge, where on the other one but the wall beside it is. */
  telling(one: Gathered, beyondOther: Beyond, { i, cell }: At): number {
    return ramp(beyondOther(one.planes[0][i], cell) / this.tau, LIKE, UNLIKE) * this.isThere(one, i);
  }

  /** What speaks for the nearer surface, by its share of the usual agreement, and by how far it is from what is shown behind it, and around that. */
  favour(near: Gathered, behind: Gathered, beyond: Beyond, at: At): number {
    const { i } = at;
    const differs = ramp(Math.abs(near.planes[0][i] - behind.planes[0][i]) / this.tau, LIKE, UNLIKE);
    return (NEARER + DIFFERS * differs) * this.isThere(near, i) + STANDS_OUT * this.telling(near, beyond, at);
  }

  /** By its share of the usual agreement, 0..1. */
  private isThere({ share }: Gathered, i: number): number {
    return ramp(share[i] / this.usual, ABSENT, PRESENT);
  }
}

/** What each surface shows around: of one tile it is the first, of the next the second. @param told - Per layer, 1 for the px that it shows. */
function shownOnEach({ first, second, surfaces, beside }: Layers, told: readonly Uint8Array[]): (Beyond | undefined)[] {
  const { region } = first;
  const shown: (ShownLuma | undefined)[] = [];
  eachTileRow(region, (tile, from, to) => {
    const cell = cellAt(region, from);
    (shown[surfaces[tile]] ??= new ShownLuma(region)).add(first.planes[0], told[0], from, to, cell);
    (shown[beside[tile]] ??= new ShownLuma(region)).add(second.planes[0], told[1], from, to, cell);
  });
  return shown.map((of) => of?.around());
}

/** Agreement about what is there: of the better one of two surfaces. @param isTold - 1 for the px that sources show on both. */
function usualShare({ first, second }: Layers, isTold: Uint8Array): number {
  const best = new Float64Array(isTold.length);
  let n = 0;
  for (let i = 0; i < best.length; i++) if (isTold[i] === 1) best[n++] = Math.max(first.share[i], second.share[i]);
  return n > 0 ? medianOfFirst(best, n) : 1;
}

/** 1 for the px that sources of enough weight show. */
function toldOf({ region, support, share }: Gathered): Uint8Array {
  const out = new Uint8Array(share.length);
  eachTileRow(region, (_, from, to) => {
    for (let i = from; i < to; i++) out[i] = share[i] > 0 && support[i] >= ENOUGH * share[i] ? 1 : 0;
  });
  return out;
}
