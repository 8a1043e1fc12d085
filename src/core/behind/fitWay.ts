import type { Region } from '../fill/region.ts';
import type { Point } from '../geometry/homography.ts';
import { vertex } from '../geometry/vertex.ts';
import type { BodyLayer } from './cutBody.ts';

/** Px beside the hole that tell where a body lies: so many at most, and at least. */
const MOST_PX = 1000;
const LEAST_PX = 80;
/** Kept of what lies under a px that a body changes, at most. */
const CHANGED = 0.9;
/** A place must be so much better than the one that the small frames tell, as a share of the difference there. */
const BETTER = 0.9;

/** And at most so much worse than the background alone. */
const EXPLAINED = 1.1;

/** What a frame shows of a region, and what other frames show behind it: luma. */
export interface Beside {
  region: Pick<Region, 'rect'>;
  /** 1 for px of which the frame shows the background, or somebody who is not known yet. */
  known: Uint8Array;
  own: Float32Array;
  background: Float32Array;
}

/**
 * Where a body lies to a part of a px, told by what is seen of it beside the hole: the small frames tell it to a part of theirs.
 *
 * @returns undefined if the frame shows that it is not there.
 * @param way - From the body's frame to the region's as the small frames tell it, px of the frame.
 * @param radius - How far around that it is searched for, px.
 */
export function fitWay(layer: BodyLayer, way: Point, radius: number, beside: Beside): Point | undefined {
  const start = { x: Math.round(way.x), y: Math.round(way.y) };
  const places = placesBeside(layer, start, radius, beside);
  if (places.length < LEAST_PX) return way;
  const cost = (dx: number, dy: number): number => differenceAt(layer, places, dx, dy, beside);
  const first = cost(start.x, start.y);
  let x = start.x;
  let y = start.y;
  let least = first;
  for (let v = start.y - radius; v <= start.y + radius; v++) {
    for (let u = start.x - radius; u <= start.x + radius; u++) {
      const found = cost(u, v);
      if (found >= least) continue;
      x = u;
      y = v;
      least = found;
    }
  }
  if ((x !== start.x || y !== start.y) && least > BETTER * first)
    return isThere(layer, start, beside) ? way : undefined;
  if (!isThere(layer, { x, y }, beside)) return undefined;
  return {
    x: x + vertex(cost(x - 1, y), least, cost(x + 1, y)),
    y: y + vertex(cost(x, y - 1), least, cost(x, y + 1)),
  };
}

/** Numbers of px of the region in which its frame is known, that the body may change wherever within the radius it is. */
function placesBeside({ rect, planes }: BodyLayer, way: Point, radius: number, { region, known }: Beside): number[] {
  const { keep } = planes[0];
  const { width, height } = region.rect;
  const out: number[] = [];
  let changed = 0;
  for (let y = 0; y < height; y++) {
    const v = y + region.rect.y - rect.y - way.y;
    if (v <= radius || v >= rect.height - radius - 1) continue;
    for (let x = 0; x < width; x++) {
      const u = x + region.rect.x - rect.x - way.x;
      if (u <= radius || u >= rect.width - radius - 1 || known[y * width + x] === 0) continue;
      out.push(y * width + x);
      if (keep[v * rect.width + u] <= CHANGED) changed++;
    }
  }
  if (changed < LEAST_PX) return [];
  const every = Math.ceil(out.length / MOST_PX);
  return every > 1 ? out.filter((_, k) => k % every === 0) : out;
}

/** The mean difference between what the frame shows beside the hole and what it would show with the body there. */
function differenceAt(
  { rect, planes }: BodyLayer,
  places: readonly number[],
  dx: number,
  dy: number,
  { region, own, background }: Beside,
): number {
  const { keep, add } = planes[0];
  const { width } = region.rect;
  const left = region.rect.x - rect.x - dx;
  const top = region.rect.y - rect.y - dy;
  let sum = 0;
  for (const i of places) {
    const k = (Math.floor(i / width) + top) * rect.width + (i % width) + left;
    sum += Math.abs(own[i] - background[i] * keep[k] - add[k]);
  }
  return sum / places.length;
}

/** Whether the px that a body changes beside the hole are explained by it as well as by the background. */
function isThere(layer: BodyLayer, way: Point, { region, known, own, background }: Beside): boolean {
  const { keep, add } = layer.planes[0];
  let n = 0;
  let withBody = 0;
  let without = 0;
  changedPx(layer, way, region, (i, k) => {
    if (known[i] === 0) return;
    n++;
    withBody += Math.abs(own[i] - background[i] * keep[k] - add[k]);
    without += Math.abs(own[i] - background[i]);
  });
  return n < LEAST_PX || withBody < EXPLAINED * without;
}

/** Takes the px that a body changes out of those that are known: whoever is farther away is not seen there. */
export function hideBehind(layer: BodyLayer, way: Point, { region, known }: Beside): void {
  const whole = { x: Math.round(way.x), y: Math.round(way.y) };
  changedPx(layer, whole, region, (i) => (known[i] = 0));
}

/** Calls for each px of a region that a body changes, with its number in the region and in the body's layer. */
function changedPx(
  { rect, planes: [{ keep }] }: BodyLayer,
  way: Point,
  region: Pick<Region, 'rect'>,
  visit: (i: number, k: number) => void,
): void {
  const { width, height } = region.rect;
  for (let y = 0; y < height; y++) {
    const v = y + region.rect.y - rect.y - way.y;
    if (v < 0 || v >= rect.height) continue;
    for (let x = 0; x < width; x++) {
      const u = x + region.rect.x - rect.x - way.x;
      if (u >= 0 && u < rect.width && keep[v * rect.width + u] <= CHANGED) visit(y * width + x, v * rect.width + u);
    }
  }
}
