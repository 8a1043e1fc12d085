import { boxOf } from '../depth/holeParts.ts';
import type { FrameFormat } from '../image/format.ts';
import { mostOften } from '../geometry/mostOften.ts';
import { boxMean } from '../image/boxMean.ts';
import type { Fusion } from './fusion.ts';
import { nothingOf, type Gathered } from './gathered.ts';
import { CELL, cellAt } from './offsetGrid.ts';
import { eachTileRow, partOf, planeSize, TILE, type Region } from './region.ts';
import { evidenceOf } from './surfaceEvidence.ts';

/** Tiles from which another surface may reach into one. */
const REACH = 2;
/** Half side of the window in which the two are compared, px. */
const WINDOW = 4;
/** How much better the other surface must do, as a share of the weights that agree. */
const BETTER = 0.02;

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
  take(out, both, [first, second], chosen, fusion.format);
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
    eachTileRow(part, (tile, from, to) => {
      const sign = second[tile] > first[tile] ? 1 : -1;
      for (let i = from, k = window.at(from); i < to; i++, k++) {
        if (Number.isNaN(evidence[i])) continue;
        sums[k] = sign * evidence[i];
        told[k] = 1;
      }
    });
    const [mean, known] = [sums, told].map((values) => boxMean(values, window.width, window.height, WINDOW));
    eachTileRow(part, (tile, from, to) => {
      const sign = second[tile] > first[tile] ? 1 : -1;
      // Running sums leave crumbs where there is nothing.
      for (let i = from, k = window.at(from); i < to; i++, k++)
        chosen[i] = known[k] > 1e-3 && sign * mean[k] > BETTER * known[k] ? 1 : 0;
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

/** Takes each px of a region from one of two layers. @param chosen - Which, per px. */
function take(
  out: Gathered,
  region: Region,
  layers: readonly Gathered[],
  chosen: Uint8Array,
  format: FrameFormat,
): void {
  eachTileRow(region, (_, from, to) => {
    for (let i = from; i < to; i++) {
      const layer = layers[chosen[i]];
      out.planes[0][i] = layer.planes[0][i];
      out.support[i] = layer.support[i];
      out.share[i] = layer.share[i];
    }
  });
  for (let plane = 1; plane < format.colourPlanes; plane++) takeColour(out, region, layers, chosen, plane, format);
  takeCells(out, region, layers, chosen);
}

function takeColour(
  out: Gathered,
  region: Region,
  layers: readonly Gathered[],
  chosen: Uint8Array,
  plane: number,
  format: FrameFormat,
): void {
  const { width } = region.rect;
  const { stepX, stepY } = format.planes[plane];
  const size = planeSize(region, format, plane);
  /** The first px of those that share a sample of colour which is seen at all: a surface that nobody sees there has no colour. */
  const seenIn = (first: number): number => {
    for (let row = first; row < first + stepY * width; row += width) {
      for (let i = row; i < row + stepX; i++) if (out.support[i] > 0) return i;
    }
    return first;
  };
  eachTileRow(region, (_, from, to) => {
    const [x, y] = [from % width, Math.floor(from / width)];
    if (y % stepY !== 0) return;
    const first = (y / stepY) * size.width + x / stepX;
    for (let i = from, at = first; i < to; i += stepX, at++)
      out.planes[plane][at] = layers[chosen[seenIn(i)]].planes[plane][at];
  });
}

/** A cell is judged as its middle is. */
function takeCells(out: Gathered, region: Region, layers: readonly Gathered[], chosen: Uint8Array): void {
  eachTileRow(region, (_, from, to) => {
    if (Math.floor(from / region.rect.width) % CELL !== CELL / 2) return;
    for (let i = from + CELL / 2; i < to; i += CELL)
      out.agreement.takeCell(cellAt(region, i), layers[chosen[i]].agreement);
  });
}
