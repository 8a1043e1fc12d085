import { grow, type Rect } from '../image/format.ts';
import type { TileWindow } from './tileWindows.ts';
import { local, type Around } from './depthPlaces.ts';
import type { HolePart } from './holeParts.ts';
import type { TiledRegion } from './tiledRegion.ts';

/** How far around a hole corners are followed, and where one's weight is halved, analysis px. */
const SURROUNDINGS = 44;
const NEAR = 12;

/** A connected part of a region's hole. */
export interface Part {
  around: Around;
  tiles: TileWindow[];
}

/** The corners around a part of a hole. */
export interface CornersAround {
  /** Their numbers among all. */
  numbers: number[];
  /** Local coordinates, interleaved u, v. */
  places: Float64Array;
  /** How much each counts: the near ones more. */
  counts: Float64Array;
}

/** @param px - One px of the analysis image, frame px. */
export function partOf(region: TiledRegion, { box, tiles }: HolePart, px: number): Part {
  const side = region.rect.width / region.cols;
  const [left, top] = [region.rect.x, region.rect.y];
  const hole = { x: left + box.x * side, y: top + box.y * side, width: box.width * side, height: box.height * side };
  return {
    around: {
      hole,
      cx: hole.x + hole.width / 2,
      cy: hole.y + hole.height / 2,
      scale: Math.max(hole.width, hole.height) / 2 + SURROUNDINGS * px,
    },
    tiles: tiles.map((tile) => ({
      tile,
      x: left + (tile % region.cols) * side,
      y: top + Math.floor(tile / region.cols) * side,
    })),
  };
}

/** Where corners are looked for that stand around a hole. */
export const surroundingsOf = ({ hole }: Around, px: number): Rect => grow(hole, SURROUNDINGS * px);

/** @param corners - Interleaved x, y, frame px. */
export function cornersAround(around: Around, corners: Float64Array, px: number): CornersAround {
  const { cx, cy, scale } = around;
  const numbers = [...Array(corners.length / 2).keys()].filter(
    (i) => Math.abs(corners[2 * i] - cx) <= scale && Math.abs(corners[2 * i + 1] - cy) <= scale,
  );
  return {
    numbers,
    places: Float64Array.from(
      numbers.flatMap((i) => [local(around, 0, corners[2 * i]), local(around, 1, corners[2 * i + 1])]),
    ),
    counts: Float64Array.from(numbers, (i) => weightOf(around.hole, corners[2 * i], corners[2 * i + 1], NEAR * px)),
  };
}

function weightOf(hole: Rect, x: number, y: number, half: number): number {
  const dx = Math.max(hole.x - x, 0, x - hole.x - hole.width);
  const dy = Math.max(hole.y - y, 0, y - hole.y - hole.height);
  return 1 / (1 + (Math.hypot(dx, dy) / half) ** 2);
}
