import { boxOf } from '../depth/holeParts.ts';
import type { FrameFormat } from '../image/format.ts';
import { median } from '../geometry/linear.ts';
import { mostOften } from '../geometry/mostOften.ts';
import { ramp } from '../geometry/ramp.ts';
import { boxMean } from '../image/boxMean.ts';
import type { Fusion } from './fusion.ts';
import { agreementWithFrame, nothingOf, type Gathered } from './gathered.ts';
import { CELL, offsetGrid } from './offsetGrid.ts';
import { partOf, planeSize, TILE, type Region } from './region.ts';
import { shownAround, type Beyond } from './shownAround.ts';
import { ENOUGH } from './sourceAgreement.ts';

/** Tiles from which another surface may reach into one. */
const REACH = 2;
/** Half side of the window in which the two are compared, px. */
const WINDOW = 4;
/** How much better the other surface must do, as a share of the weights that agree. */
const BETTER = 0.02;
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

/** A second surface of some tiles. */
export interface Beside {
  /** 1 for the tiles that have one. */
  tiles: Uint8Array;
  /** Its number, per tile. */
  surfaces: Uint8Array;
}

/** For each active tile that lies beside tiles on another surface the one of these that most of them lie on. */
export function surfacesBeside({ active, cols, rows }: Region, surfaces: Uint8Array): Beside | undefined {
  const out = { tiles: new Uint8Array(active.length), surfaces: new Uint8Array(active.length) };
  for (let tile = 0; tile < active.length; tile++) {
    if (active[tile] === 0) continue;
    const [c, r] = [tile % cols, Math.floor(tile / cols)];
    const beyond: number[] = [];
    for (let b = Math.max(0, r - REACH); b <= Math.min(rows - 1, r + REACH); b++) {
      for (let a = Math.max(0, c - REACH); a <= Math.min(cols - 1, c + REACH); a++) {
        const n = b * cols + a;
        if (active[n] > 0 && surfaces[n] !== surfaces[tile]) beyond.push(surfaces[n]);
      }
    }
    if (beyond.length === 0) continue;
    out.tiles[tile] = 1;
    out.surfaces[tile] = mostOften(beyond);
  }
  return out.tiles.includes(1) ? out : undefined;
}

/** Whether one surface is nearer than another one in a tile; undefined = not known. */
export type NearerIn = (tile: number, one: number, other: number) => boolean | undefined;

/**
 * Fuses a region some tiles of which hold an edge between two surfaces: these are gathered on both, and each px is taken from
 * one of them.
 *
 * @param surfaces - Of each tile. @param out - Overwritten.
 */
export function fuseTwo(fusion: Fusion, out: Gathered, surfaces: Uint8Array, beside: Beside, isNearer: NearerIn): void {
  const { region, sources, own } = out;
  const alone = beside.tiles.map((b) => 1 - b);
  fusion.run({ ...out, region: partOf(region, alone) }, { surfaces });
  const both = partOf(region, beside.tiles);
  const gathered = (on: Uint8Array): Gathered => {
    const layer = nothingOf(both, sources, own);
    fusion.run(layer, { surfaces: on, densest: true });
    return layer;
  };
  const [first, second] = [gathered(surfaces), gathered(beside.surfaces)];
  const secondIsNearer = [...both.active.keys()].map((tile) =>
    both.active[tile] > 0 ? isNearer(tile, beside.surfaces[tile], surfaces[tile]) : undefined,
  );
  const evidence = evidenceOf({ first, second, surfaces, beside: beside.surfaces }, secondIsNearer, fusion.tau);
  const chosen = chosenPx(both, surfaces, beside.surfaces, evidence);
  take(out, both, (i) => (chosen[i] === 1 ? second : first), fusion.format);
}

/**
 * 1 where the second surface does better in a window around a px. What is first in one tile is second in the next: evidence
 * is counted for the greater number of each pair of surfaces, over all tiles that hold this pair.
 */
function chosenPx(region: Region, first: Uint8Array, second: Uint8Array, evidence: Float32Array): Uint8Array {
  const chosen = new Uint8Array(evidence.length);
  const pairOf = (tile: number): number =>
    256 * Math.max(first[tile], second[tile]) + Math.min(first[tile], second[tile]);
  const byPair = new Map<number, number[]>();
  region.active.forEach((a, tile) => {
    if (a === 0) return;
    const tiles = byPair.get(pairOf(tile));
    if (tiles) tiles.push(tile);
    else byPair.set(pairOf(tile), [tile]);
  });
  for (const tiles of byPair.values()) {
    const own = new Uint8Array(region.active.length);
    for (const tile of tiles) own[tile] = 1;
    const part = partOf(region, own);
    const window = windowOf(tiles, region);
    const [sums, told] = [new Float32Array(window.area), new Float32Array(window.area)];
    eachPx(part, (tile, i) => {
      if (Number.isNaN(evidence[i])) return;
      const k = window.at(i);
      sums[k] = second[tile] > first[tile] ? evidence[i] : -evidence[i];
      told[k] = 1;
    });
    const [mean, known] = [sums, told].map((values) => boxMean(values, window.width, window.height, WINDOW));
    eachPx(part, (tile, i) => {
      const k = window.at(i);
      const better = second[tile] > first[tile] ? mean[k] : -mean[k];
      // Running sums leave crumbs where there is nothing.
      chosen[i] = known[k] > 1e-3 && better > BETTER * known[k] ? 1 : 0;
    });
  }
  return chosen;
}

/** The least part of a region that holds some tiles, px, and the place in it of a px of the region: pairs of surfaces lie close together. */
function windowOf(
  tiles: readonly number[],
  { cols, rect }: Region,
): { width: number; height: number; area: number; at: (i: number) => number } {
  const { x, y, width: across, height: down } = boxOf(tiles, cols);
  const [x0, y0, width, height] = [x * TILE, y * TILE, across * TILE, down * TILE];
  const at = (i: number): number => (Math.floor(i / rect.width) - y0) * width + (i % rect.width) - x0;
  return { width, height, area: width * height, at };
}

/** What is gathered of tiles on two surfaces, and which these are of each. */
interface Layers {
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
function evidenceOf(both: Layers, secondIsNearer: readonly (boolean | undefined)[], tau: number): Float32Array {
  const { first, second, surfaces, beside } = both;
  const { region } = first;
  const out = new Float32Array(first.support.length).fill(NaN);
  const usual = usualShare(first, second);
  const around = shownOnEach(both);
  eachPx(region, (tile, i) => {
    if (!isTold(first, i) || !isTold(second, i)) return;
    const [beyondFirst, beyondSecond] = [around[surfaces[tile]]!, around[beside[tile]]!];
    const nearer = secondIsNearer[tile];
    const lead = second.share[i] - first.share[i];
    if (region.known[i] === 1) out[i] = agreementWithFrame(second, i, tau) - agreementWithFrame(first, i, tau);
    else if (nearer === undefined)
      out[i] =
        lead + TELLS * (telling(second, beyondFirst, i, usual, tau) - telling(first, beyondSecond, i, usual, tau));
    else if (nearer) out[i] = lead + favour(second, first, beyondFirst, i, usual, tau);
    else out[i] = lead - favour(first, second, beyondSecond, i, usual, tau);
  });
  return out;
}

/** What each surface shows around: of one tile it is the first, of the next the second. */
function shownOnEach({ first, second, surfaces, beside }: Layers): (Beyond | undefined)[] {
  const { region, support } = first;
  const out: (Beyond | undefined)[] = [];
  const isActive = (_: number, tile: number): boolean => region.active[tile] > 0;
  for (const surface of new Set([surfaces, beside].flatMap((of) => [...of.filter(isActive)]))) {
    const luma = new Float32Array(support.length).fill(NaN);
    const own = surfaces.map((one, tile) => (one === surface || beside[tile] === surface ? 1 : 0));
    eachPx(partOf(region, own), (tile, i) => {
      const layer = surfaces[tile] === surface ? first : second;
      if (isTold(layer, i)) luma[i] = layer.planes[0][i];
    });
    out[surface] = shownAround(region, luma);
  }
  return out;
}

/** How far a surface shows something that is unlike all that another one shows around there, 0..1: of a door its edge, where on the other one but the wall beside it is. */
const telling = (one: Gathered, beyondOther: Beyond, i: number, usual: number, tau: number): number =>
  ramp(beyondOther(one.planes[0][i], i) / tau, LIKE, UNLIKE) * isThere(one, i, usual);

/** What speaks for the nearer surface besides, by its share of the usual agreement, and by how far it is from what is shown behind it, and around that. */
function favour(near: Gathered, behind: Gathered, beyond: Beyond, i: number, usual: number, tau: number): number {
  const luma = near.planes[0][i];
  const differs = ramp(Math.abs(luma - behind.planes[0][i]) / tau, LIKE, UNLIKE);
  return (NEARER + DIFFERS * differs) * isThere(near, i, usual) + STANDS_OUT * telling(near, beyond, i, usual, tau);
}

/** By its share of the usual agreement, 0..1. */
const isThere = ({ share }: Gathered, i: number, usual: number): number => ramp(share[i] / usual, ABSENT, PRESENT);

/** Agreement about what is there: of the better one of two surfaces. */
function usualShare(first: Gathered, second: Gathered): number {
  const best: number[] = [];
  eachPx(first.region, (_, i) => {
    if (isTold(first, i) && isTold(second, i)) best.push(Math.max(first.share[i], second.share[i]));
  });
  return best.length > 0 ? median(best) : 1;
}

/** Whether sources of enough weight show a px. */
const isTold = ({ support, share }: Gathered, i: number): boolean => share[i] > 0 && support[i] >= ENOUGH * share[i];

/** Takes each px of a region from one of several layers. */
function take(out: Gathered, region: Region, from: (i: number) => Gathered, format: FrameFormat): void {
  const { width } = region.rect;
  /** The first px of those that share a sample of colour which is seen at all: a surface that nobody sees there has no colour. */
  const seenIn = (first: number, across: number, down: number): number => {
    for (let row = first; row < first + down * width; row += width) {
      for (let i = row; i < row + across; i++) if (out.support[i] > 0) return i;
    }
    return first;
  };
  eachPx(region, (_, i) => {
    const layer = from(i);
    out.planes[0][i] = layer.planes[0][i];
    out.support[i] = layer.support[i];
    out.share[i] = layer.share[i];
  });
  const grid = offsetGrid(region);
  for (let plane = 1; plane < format.colourPlanes; plane++) {
    const { stepX, stepY } = format.planes[plane];
    const size = planeSize(region, format, plane);
    eachPx(region, (_, i) => {
      const [x, y] = [i % width, Math.floor(i / width)];
      if (x % stepX !== 0 || y % stepY !== 0) return;
      const at = (y / stepY) * size.width + x / stepX;
      out.planes[plane][at] = from(seenIn(i, stepX, stepY)).planes[plane][at];
    });
  }
  // A cell is judged as its middle is.
  eachPx(region, (_, i) => {
    const [x, y] = [i % width, Math.floor(i / width)];
    if (x % CELL !== CELL / 2 || y % CELL !== CELL / 2) return;
    const cell = Math.floor(y / CELL) * grid.cols + Math.floor(x / CELL);
    out.agreement.takeCell(cell, from(i).agreement);
  });
}

/** Calls `use` with each px of the active tiles. */
function eachPx(
  { rect, cols, active }: Pick<Region, 'rect' | 'cols' | 'active'>,
  use: (tile: number, i: number) => void,
): void {
  active.forEach((a, tile) => {
    if (a === 0) return;
    const first = Math.floor(tile / cols) * TILE * rect.width + (tile % cols) * TILE;
    for (let y = 0; y < TILE; y++) {
      const row = first + y * rect.width;
      for (let i = row; i < row + TILE; i++) use(tile, i);
    }
  });
}
