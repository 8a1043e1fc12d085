import { evenly } from '../evenly.ts';
import { median } from '../geometry/linear.ts';
import { sampled, type PlaceIn, type Witnesses } from './tileWindows.ts';

/** Samples across a window around a corner, and how far apart, analysis px. */
const ACROSS = 5;
const SPACING = 1.5;
const WINDOW = ACROSS * ACROSS;
/** Sources asked at most, and those that must show a corner's place. */
const MOST_SOURCES = 9;
const LEAST_SOURCES = 4;
/** Windows are alike that differ by less than this share of their contrast, and unlike beyond the other. */
const ALIKE = 0.4;
const UNLIKE = 0.8;
/** Share of the sources that must be alike. */
const MOST = 0.5;

/**
 * 1 for the corners of what passes by: the sources show one and the same thing in their place, on a surface, but the frame shows something
 * else. Of what lies off that surface they show one place each. People who walk along before a camera that only turns
 * move like a world that it goes past.
 *
 * @param place - Places of the frame on the surface.
 * @param corners - Of the frame, interleaved x, y, px.
 */
export function passersBy(seen: Omit<Witnesses, 'tileSide'>, place: PlaceIn, corners: ArrayLike<number>): Uint8Array {
  const places = windowsAround(corners, SPACING * seen.pyramids.scale);
  const own = sampled(seen, seen.frame, places);
  const views = evenly(
    seen.sources.filter((s) => s !== seen.frame),
    MOST_SOURCES,
  ).flatMap((s) => {
    const to = places.slice();
    return place(s, to) ? [sampled(seen, s, to)] : [];
  });
  return Uint8Array.from({ length: corners.length / 2 }, (_, i) => (passesAt(own, views, i * WINDOW) ? 1 : 0));
}

function windowsAround(corners: ArrayLike<number>, spacing: number): Float32Array {
  const out = new Float32Array(corners.length * WINDOW);
  const reach = (ACROSS - 1) / 2;
  let at = 0;
  for (let i = 0; i < corners.length; i += 2) {
    for (let v = -reach; v <= reach; v++) {
      for (let u = -reach; u <= reach; u++) {
        out[at++] = corners[i] + u * spacing;
        out[at++] = corners[i + 1] + v * spacing;
      }
    }
  }
  return out;
}

function passesAt(own: Float32Array, views: readonly Float32Array[], at: number): boolean {
  const mine = windowAt(own, at);
  const shown = views.flatMap((view) => windowAt(view, at) ?? []);
  if (!mine || shown.length < LEAST_SOURCES) return false;
  const middle = mine.map((_, i) => median(shown.map((window) => window[i])));
  const contrast = sizeOf(middle);
  const alike = shown.filter((window) => apart(window, middle) < ALIKE * contrast).length;
  return alike > MOST * shown.length && apart(mine, middle) > UNLIKE * Math.max(contrast, sizeOf(mine));
}

/** What a frame shows of a window, without its light; undefined if not all of it is shown. */
function windowAt(view: Float32Array, at: number): Float32Array | undefined {
  const window = view.subarray(at, at + WINDOW);
  const mean = window.reduce((sum, v) => sum + v, 0) / WINDOW;
  return Number.isNaN(mean) ? undefined : window.map((v) => v - mean);
}

const sizeOf = (window: Float32Array): number => window.reduce((sum, v) => sum + Math.abs(v), 0) / WINDOW;
const apart = (a: Float32Array, b: Float32Array): number =>
  a.reduce((sum, v, i) => sum + Math.abs(v - b[i]), 0) / WINDOW;
