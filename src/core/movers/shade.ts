import { grow, intersect, type Rect } from '../image/format.ts';
import { UNKNOWN, type Evidence } from './evidence.ts';
import { NEUTRAL } from './layFrames.ts';

/** Half the side of the square in which shade is looked for, px. */
const REACH = 2;
/** Darkened px in it that are needed. */
const NEEDED = 12;
/** How far shade is spread to its darkened edge, px. */
const SPREAD = 2;
/** Added to luma before its logarithm is taken, 12-bit levels. */
const DARK = 60;
/** Shade is darker by this at least (less at its edge) and at most, in logarithms. */
const LEAST_SHADE = 0.08;
const EDGE_SHADE = 0.03;
const MOST_SHADE = 1.4;
/** Share of the ground's texture that may be missing. */
const MOST_MISSING = 0.3;
/** Square of the ratio's change between neighbours at a soft edge. */
const SOFT_EDGE = 0.004;
/** The change of colour that a shadow may bring, 12-bit levels: more where it is dark, by the sky's blue. */
const MOST_TINT = 50;
const DARK_SHADE = 0.3;
const TINT_PER_DARKNESS = 60;
/** Square of a change between neighbours that grain alone brings, in logarithms of luma. */
const GRAIN = 0.001;

/** Visits the px of a part that lie at least `rim` px within the picture. */
export function forEachIn(part: Rect, w: number, h: number, rim: number, visit: (i: number) => void): void {
  const { x, y, width, height } = intersect(part, { x: rim, y: rim, width: w - 2 * rim, height: h - 2 * rim });
  for (let v = y; v < y + height; v++) for (let i = v * w + x; i < v * w + x + width; i++) visit(i);
}

/**
 * How much each px of a part looks like the background in less light, 0 to 1. A shadow darkens evenly and keeps the ground's
 * texture: the ratio of the frame to its background varies little there, where the background itself varies (as in Rosin &
 * Ellis 1995).
 */
export function shadeOf({ own, background }: Evidence, w: number, h: number, part: Rect): Float32Array {
  const out = new Float32Array(w * h);
  const ground = new Float32Array(w * h).fill(NaN);
  const ratio = new Float32Array(w * h).fill(NaN);
  forEachIn(grow(part, REACH), w, h, 0, (i) => {
    if (background[0][i] === UNKNOWN) return;
    ground[i] = Math.log(background[0][i] + DARK);
    ratio[i] = Math.log(own[0][i] + DARK) - ground[i];
  });
  const tints = own.slice(1).map((plane, k) => ({ plane, below: background[k + 1] }));
  forEachIn(part, w, h, REACH, (i) => {
    if (!isDarkened(ratio[i])) return;
    const light = Math.exp(ratio[i]);
    const most = MOST_TINT + TINT_PER_DARKNESS * Math.max(0, -ratio[i] - DARK_SHADE);
    const tinted = tints.some(({ plane, below }) => {
      const j = placeIn(plane, i, w, h);
      return Math.abs(plane[j] - NEUTRAL - light * (below[j] - NEUTRAL)) > most;
    });
    if (!tinted) out[i] = evenness(ratio, ground, i, w);
  });
  return spread(out, ratio, w, h, part);
}

const isDarkened = (ratio: number): boolean => ratio < -LEAST_SHADE && ratio > -MOST_SHADE;

/** Index of a px in a plane of the same picture that may have half as many samples across, down, or both. */
export function placeIn(plane: Uint16Array, i: number, w: number, h: number): number {
  if (plane.length === w * h) return i;
  const [half, across] = [Math.ceil(w / 2), plane.length === w * Math.ceil(h / 2) ? 1 : 2];
  const down = plane.length === half * h ? 1 : 2;
  return Math.floor(Math.floor(i / w) / down) * (across === 2 ? half : w) + Math.floor((i % w) / across);
}

/**
 * 0 to 1: how much the darkened px around one keep the ground's texture. From px to px a shadow's ratio changes little, even at its
 * soft edge, and not with the ground; that of a thing changes against the ground, which it does not show.
 */
function evenness(ratio: Float32Array, ground: Float32Array, i: number, w: number): number {
  let [n, pairs, rr, gg, rg] = [0, 0, 0, 0, 0];
  for (let v = -REACH; v <= REACH; v++) {
    const [first, last] = [i + v * w - REACH, i + v * w + REACH];
    for (let k = first; k <= last; k++) {
      if (!isDarkened(ratio[k])) continue;
      n++;
      for (let side = k < last ? 0 : 1; side < (v < REACH ? 2 : 1); side++) {
        const j = side === 0 ? k + 1 : k + w;
        if (!isDarkened(ratio[j])) continue;
        const [r, g] = [ratio[j] - ratio[k], ground[j] - ground[k]];
        rr += r * r;
        gg += g * g;
        rg += r * g;
        pairs++;
      }
    }
  }
  if (n < NEEDED) return 0;
  const missing = -rg / (gg + pairs * GRAIN);
  const rough = rr / (gg + pairs * SOFT_EDGE);
  return Math.max(0, Math.min(1, 1.5 - Math.max(missing / MOST_MISSING, rough)));
}

/** At the edge of a shadow light is uneven: what is darkened there is shade as well. */
function spread(shade: Float32Array, ratio: Float32Array, w: number, h: number, part: Rect): Float32Array {
  const out = shade.slice();
  forEachIn(part, w, h, SPREAD, (i) => {
    if (!(ratio[i] < -EDGE_SHADE && ratio[i] > -MOST_SHADE)) return;
    for (let v = -SPREAD; v <= SPREAD; v++) {
      for (let k = i + v * w - SPREAD; k <= i + v * w + SPREAD; k++) if (shade[k] > out[i]) out[i] = shade[k];
    }
  });
  return out;
}
