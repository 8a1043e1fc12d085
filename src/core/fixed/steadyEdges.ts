import type { CameraMotion } from '../motion/cameraMotion.ts';
import type { View } from './views.ts';

/** Views that must show a place. */
const LEAST_SEEN = 8;
/** Levels by which px on both sides of an edge differ, of 8 bits, in the mean of all views. */
const EDGE = 14;
/** An edge that is still there has so much of its mean, and not more than so much. */
const [LEAST_OF, MOST_OF] = [0.5, 2];
/** Share of the views in which it must be there. */
const STAYED = 0.8;
/** Views are compared with those so many before: a camera that pans goes far in many of them, one that is shaken in one. */
const LAGS = [1, 4, 12];
/** Px by which the background goes across an edge from one of two views to the other, and how often it must. */
const ACROSS = 4;
const LEAST_TIMES = 6;

/** An edge in the mean of all views. */
interface Edge {
  i: number;
  /** Differences across two px. */
  gx: number;
  gy: number;
  /** Per view whether it is there; 0 where it is not, or something that goes away hides it. */
  there: Uint8Array;
}

/** Edges that stay where they are, as indices of px. */
export interface SteadyEdges {
  /** Under these the background has gone by. */
  sure: number[];
  /** Along these it goes, or the camera hardly moves: by themselves they tell nothing. */
  likely: number[];
}

/**
 * Edges that stay where they are in the picture while the background goes by under them: of logos, of time codes, of what is mounted
 * to the camera. Told by the mean of gradients over frames, which is nothing for all that moves (Dekel et al., "On the Effectiveness of
 * Visible Watermarks", CVPR 2017), and by the camera's motion: an edge along which the background slides stays as well.
 *
 * @param width - Of the views, px.
 * @param motion - In their px.
 */
export function steadyEdges(views: readonly View[], width: number, motion: CameraMotion): SteadyEdges {
  const edges = meanEdges(views, width).filter((edge) => stays(edge, views, width));
  const places = Float64Array.from(edges.flatMap(({ i }) => [i % width, Math.floor(i / width)]));
  const times = new Uint8Array(edges.length);
  for (const [k, j] of pairsOf(views.length)) {
    if (!motion.sameScene(views[k].frame, views[j].frame)) continue;
    const other = places.slice();
    motion.map(views[k].frame, views[j].frame, other);
    edges.forEach(({ gx, gy, there }, n) => {
      const across = (other[2 * n] - places[2 * n]) * gx + (other[2 * n + 1] - places[2 * n + 1]) * gy;
      if (there[k] && there[j] && Math.abs(across) >= ACROSS * Math.hypot(gx, gy)) times[n]++;
    });
  }
  const numbers = (wanted: boolean): number[] =>
    edges.filter((_, n) => times[n] >= LEAST_TIMES === wanted).map(({ i }) => i);
  return { sure: numbers(true), likely: numbers(false) };
}

const pairsOf = (count: number): [number, number][] =>
  LAGS.flatMap((lag) => Array.from({ length: Math.max(0, count - lag) }, (_, k): [number, number] => [k + lag, k]));

function meanEdges(views: readonly View[], width: number): Edge[] {
  const size = views[0].luma.length;
  const [x, y] = [new Float32Array(size), new Float32Array(size)];
  const seen = new Uint8Array(size);
  for (const { luma, free } of views) {
    for (let i = width; i < size - width; i++) {
      if (free[i] === 0) continue;
      seen[i]++;
      x[i] += luma[i + 1] - luma[i - 1];
      y[i] += luma[i + width] - luma[i - width];
    }
  }
  const out: Edge[] = [];
  for (let i = width; i < size - width; i++) {
    const isInside = i % width > 0 && i % width < width - 1;
    if (!isInside || seen[i] < LEAST_SEEN) continue;
    const [gx, gy] = [x[i] / seen[i], y[i] / seen[i]];
    if (gx ** 2 + gy ** 2 >= EDGE ** 2) out.push({ i, gx, gy, there: new Uint8Array(views.length) });
  }
  return out;
}

/** Whether an edge is there in most of the views that show its place. */
function stays({ i, gx, gy, there }: Edge, views: readonly View[], width: number): boolean {
  let [seen, stayed] = [0, 0];
  views.forEach(({ luma, free }, k) => {
    if (free[i] === 0) return;
    seen++;
    const along = (luma[i + 1] - luma[i - 1]) * gx + (luma[i + width] - luma[i - width]) * gy;
    const share = along / (gx ** 2 + gy ** 2);
    if (share < LEAST_OF || share > MOST_OF) return;
    stayed++;
    there[k] = 1;
  });
  return stayed >= STAYED * seen;
}
