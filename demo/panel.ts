import type { Plane } from './camera.ts';
import { paintLimbs } from './figure.ts';
import { fractal, hash2, mix, noise, smoothstep } from './noise.ts';
import type { Layer, Renderer, Texture } from './renderer.ts';

/** Textures of the pump station's control panel. Premultiplied, display-coded colours. */

/** The screen's part of the panel, in shares of its width and height. */
export const SCREEN = { left: 0.25, right: 0.75, top: 0.2, bottom: 0.72 };
/** Share of what stands before the glass that it throws back. */
const GLOSS = 0.3;

/** Brushed steel around a screen that is left open: screws, lamps, keys and a gauge. */
export function steelPanel(renderer: Renderer, width: number, height: number): Texture {
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    const [u, v] = [x / width, y / height];
    const edge = edgeOfScreen(u * width, v * height, width, height);
    const open = smoothstep(0.5, -0.5, edge);
    const brushed = 0.5 * noise(x / 90, y / 1.3, 431) + 0.5 * fractal(x / 300, y / 3, 3, 433);
    const bezel = edge < 34 ? 0.16 + 0.1 * smoothstep(34, 28, edge) : 0;
    const steel = bezel || 0.4 + 0.16 * brushed + 0.06 * (hash2(x, y, 439) - 0.5);
    out.set([steel, steel * 1.01, steel * 1.03, 1]);
    if (edge > 34) fittings(x, y, width, height, out);
    for (let c = 0; c < 4; c++) out[c] *= 1 - open;
  });
}

/** Distance from the screen's border in texels, below 0 within. */
function edgeOfScreen(x: number, y: number, width: number, height: number): number {
  return Math.max(
    SCREEN.left * width - x,
    x - SCREEN.right * width,
    SCREEN.top * height - y,
    y - SCREEN.bottom * height,
  );
}

function fittings(x: number, y: number, width: number, height: number, out: Float32Array): void {
  const [cx, cy] = [((x / width) * 12) % 1, ((y / height) * 8) % 1];
  const [column, row] = [Math.floor((x / width) * 12), Math.floor((y / height) * 8)];
  const cell = width / 12;
  const d = Math.hypot((cx - 0.5) * cell, ((cy - 0.5) * height) / 8);
  if (row === 6 && column > 2 && column < 9) lamp(d, column, out);
  else if ((row === 0 || row === 7) && column % 4 === 1) screw(d, (cx - 0.5) * cell, out);
  else if (column === 1 && row % 2 === 1) gauge(d, Math.atan2(cy - 0.5, cx - 0.5), row, out);
  else if (column === 10 && row > 0 && row < 7) key(cx, cy, row, out);
}

function lamp(d: number, n: number, out: Float32Array): void {
  if (d > 44) return;
  const colour = n % 3 === 0 ? [0.75, 0.2, 0.15] : n % 3 === 1 ? [0.2, 0.62, 0.3] : [0.8, 0.66, 0.25];
  const l = d > 34 ? 0.25 : 0.55 + 0.5 * smoothstep(34, 0, d);
  out.set(d > 34 ? [l, l, l, 1] : [colour[0] * l, colour[1] * l, colour[2] * l, 1]);
}

function screw(d: number, along: number, out: Float32Array): void {
  if (d > 20) return;
  const l = Math.abs(along) < 3 ? 0.18 : 0.62 - 0.012 * d;
  out.set([l, l, l, 1]);
}

function gauge(d: number, angle: number, n: number, out: Float32Array): void {
  if (d > 88) return;
  const tick = d > 62 && d < 80 && Math.abs(((angle / 0.26 + 100.5) % 1) - 0.5) < 0.12;
  const hand = d < 66 && Math.abs(angle + 2.2 - 0.35 * n) < 2.5 / Math.max(3, d);
  const l = d > 82 ? 0.2 : tick || hand || d < 7 ? 0.12 : 0.82 - 0.001 * d;
  out.set([l, l * 0.98, l * 0.92, 1]);
}

function key(u: number, v: number, n: number, out: Float32Array): void {
  const [a, b] = [Math.abs(u - 0.5), Math.abs(v - 0.5)];
  if (a > 0.36 || b > 0.3) return;
  const mark = a < 0.2 && Math.abs(b - 0.06 * (n % 3)) < 0.03;
  const l = a > 0.33 || b > 0.27 ? 0.14 : mark ? 0.75 : 0.3 + 0.1 * (0.5 - v);
  out.set([l, l, l * 1.05, 1]);
}

/** What the screen shows: levels of the ditches as curves, sluices as bars, over a faint grid. Its glass throws back the rest. */
export function levels(renderer: Renderer, width: number, height: number): Texture {
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    const [u, v] = [x / width, y / height];
    const grid = x % 60 < 2 || y % 60 < 2 ? 0.05 : 0;
    const base = 0.09 + 0.05 * v + grid;
    let [r, g, b] = [base * 0.7, base, base * 1.25];
    const paint = (colour: readonly [number, number, number], a: number): void => {
      [r, g, b] = [mix(r, colour[0], a), mix(g, colour[1], a), mix(b, colour[2], a)];
    };
    CURVES.forEach(({ colour, mean, swing, seed }) => {
      const at = mean + swing * (fractal(u * 4, seed, 3, seed) - 0.5);
      if (u > 0.06 && u < 0.7) paint(colour, smoothstep(3.2, 1.4, Math.abs(v - at) * height));
    });
    const bar = Math.floor((u - 0.74) / 0.06);
    const across = (u - 0.74) / 0.06 - bar;
    if (bar >= 0 && bar < 4 && v < 0.84 && v > 0.18 && across > 0.2 && across < 0.8) {
      paint(v > 0.84 - 0.62 * hash2(bar, 3, 449) ? [0.25, 0.6, 0.66] : [0.16, 0.2, 0.24], 1);
    }
    // Lines of writing: blocks that have a word's length.
    if (v > 0.05 && v < 0.11 && u > 0.06 && u < 0.5 && hash2(Math.floor(u * 46), 1, 457) > 0.25)
      paint([0.7, 0.74, 0.76], 1);
    if (v > 0.9 && v < 0.94 && u > 0.06 && u < 0.9 && hash2(Math.floor(u * 70), 2, 461) > 0.3)
      paint([0.42, 0.5, 0.54], 1);
    out.set([r, g, b, 1 - GLOSS]);
  });
}

const CURVES = [
  { colour: [0.35, 0.75, 0.85], mean: 0.36, swing: 0.3, seed: 463 },
  { colour: [0.9, 0.7, 0.3], mean: 0.56, swing: 0.24, seed: 467 },
  { colour: [0.55, 0.8, 0.45], mean: 0.72, swing: 0.16, seed: 479 },
] as const;

/** The room as the glass shows it: a bright window with bars, a lamp, beams, all out of focus. */
export function mirroredRoom(renderer: Renderer, width: number, height: number): Texture {
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    const [u, v] = [x / width, y / height];
    const wall = 0.12 + 0.1 * fractal(x / 160, y / 120, 3, 487);
    const beam = 0.6 + 0.4 * smoothstep(0.02, 0.05, Math.abs(((u * 3.5) % 1) - 0.5));
    const inside = smoothstep(0.12, 0.1, Math.abs(u - 0.42)) * smoothstep(0.2, 0.17, Math.abs(v - 0.42));
    const bars = smoothstep(0.004, 0.012, Math.abs(u - 0.42)) * smoothstep(0.006, 0.018, Math.abs(v - 0.4));
    const sky = inside * bars * (0.75 + 0.2 * fractal(x / 200, y / 90, 3, 491));
    const glow = 0.7 * smoothstep(0.07, 0, Math.hypot(u - 0.66, (v - 0.36) * (height / width)));
    out.set([
      Math.min(1, wall * beam * 1.1 + 0.92 * sky + glow),
      Math.min(1, wall * beam + 0.97 * sky + 0.8 * glow),
      Math.min(1, wall * beam * 0.9 + sky + 0.5 * glow),
      1,
    ]);
  });
}

/** Twelve dots on the glass, four by three, white with a dark middle. */
export function trackingDots(renderer: Renderer, width: number, height: number, radius: number): Texture {
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    const [cw, ch] = [width / 4, height / 3];
    const [dx, dy] = [(x % cw) - cw / 2, (y % ch) - ch / 2];
    const [column, row] = [Math.floor(x / cw), Math.floor(y / ch)];
    const stuck = (n: number): number => 26 * (hash2(column, row, n) - 0.5);
    const d = Math.hypot(dx - stuck(499), dy - stuck(503));
    const a = smoothstep(radius, radius - 2, d);
    const l = d < radius * 0.3 ? 0.1 : 0.88;
    out.set([l * a, l * a, l * 0.96 * a, a]);
  });
}

/** Half the width, and the height, of the plane in which the hand is painted, m. */
const HAND = { halfWidth: 0.4, height: 0.8 };
const SLEEVE = [0.24, 0.27, 0.34] as const;
const SKIN = [0.78, 0.58, 0.47] as const;

/** A forearm whose finger touches the glass: comes from below on the right, and goes again. */
export class TouchingHand {
  private readonly texture: Texture;

  constructor(renderer: Renderer) {
    this.texture = renderer.texture(640, 640);
    const limb = (ax: number, ay: number, bx: number, by: number, ra: number, rb: number, cloth: boolean) => ({
      ...{ ax, ay, bx, by, ra, rb },
      colour: cloth ? SLEEVE : SKIN,
      folds: cloth ? 1 : 0.08,
    });
    const limbs = [
      limb(0.26, 0.02, 0.11, 0.4, 0.062, 0.047, true),
      limb(0.11, 0.4, 0.07, 0.5, 0.032, 0.04, false),
      limb(0.07, 0.5, 0.045, 0.55, 0.042, 0.038, false),
      limb(0.09, 0.55, 0.075, 0.59, 0.013, 0.011, false),
      limb(0.068, 0.57, 0.052, 0.612, 0.0135, 0.011, false),
      limb(0.04, 0.575, 0.008, 0.655, 0.0125, 0.009, false),
      limb(0.02, 0.53, -0.01, 0.565, 0.015, 0.011, false),
    ];
    paintLimbs(renderer, this.texture, limbs, HAND.halfWidth, HAND.height, [0.4, -0.7, 0.3], 509);
  }

  /** @param tip - Where its finger tip is, m; the plane's depth too. */
  at([x, y, z]: readonly [number, number, number]): Layer {
    const plane: Plane = {
      origin: [x - 0.008 - HAND.halfWidth, y - 0.665 + HAND.height, z],
      across: [2 * HAND.halfWidth, 0, 0],
      down: [0, -HAND.height, 0],
    };
    return { texture: this.texture, plane };
  }
}
