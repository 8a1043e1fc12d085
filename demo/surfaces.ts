import { fractal, hash2, mix, noise, smoothstep } from './noise.ts';
import type { Renderer, Texture } from './renderer.ts';

/** Textures of the salt marsh. Premultiplied, display-coded colours. Detail goes down to single texels. */

type Paint = (x: number, y: number, out: Float32Array) => void;

function set(out: Float32Array, r: number, g: number, b: number, a = 1): void {
  out[0] = r * a;
  out[1] = g * a;
  out[2] = b * a;
  out[3] = a;
}

/** Marsh ground with a boardwalk of planks across its middle. Rows are depth, the first row farthest. */
export function marshWithBoards(
  renderer: Renderer,
  width: number,
  height: number,
  boards: [number, number],
  board: number,
): Texture {
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    if (y >= boards[0] && y < boards[1]) planks(x, y - boards[0], boards[1] - boards[0], board, out);
    else {
      marsh(x, y, out);
      const edge = Math.min(Math.abs(y - boards[0]), Math.abs(y - boards[1]));
      const dark = 1 - 0.5 * smoothstep(40, 0, edge);
      for (let c = 0; c < 3; c++) out[c] *= dark;
    }
  });
}

const marsh: Paint = (x, y, out) => {
  const wet = fractal(x / 420, y / 300, 4, 11);
  const tuft = fractal(x / 34, y / 22, 4, 23);
  const blade = fractal(x / 3.1, y / 9, 2, 31);
  const pebble = smoothstep(0.72, 0.8, noise(x / 9, y / 7, 37));
  const g = 0.55 * tuft + 0.45 * blade;
  const mud = smoothstep(0.5, 0.62, wet);
  const r = mix(0.28 + 0.34 * g, 0.3 + 0.16 * blade, mud) + 0.12 * pebble;
  const gr = mix(0.31 + 0.33 * g, 0.27 + 0.14 * blade, mud) + 0.12 * pebble;
  const b = mix(0.15 + 0.2 * g, 0.22 + 0.12 * blade, mud) + 0.13 * pebble;
  const speck = 0.07 * (hash2(x, y, 41) - 0.5);
  set(out, r + speck, gr + speck, b + speck);
};

function planks(x: number, y: number, depth: number, board: number, out: Float32Array): void {
  const n = Math.floor(x / board);
  const u = x - n * board;
  const tone = 0.82 + 0.3 * hash2(n, 3, 51);
  const grain = fractal(u / 5 + n * 31, y / 90, 4, 53);
  const line = noise(u / 1.7 + n * 13, y / 60, 57);
  const stain = fractal(x / 120, y / 80, 3, 59);
  const gap = smoothstep(0, 3, u) * smoothstep(0, 3, board - u);
  const nail = [0.12, 0.88].some((v) => Math.hypot(u - board / 2, y - v * depth) < 4) ? 0.45 : 1;
  const rim = smoothstep(0, 6, y) * smoothstep(0, 6, depth - y);
  const light =
    tone * (0.62 + 0.34 * grain + 0.16 * line) * mix(0.8, 1.05, stain) * mix(0.22, 1, gap) * nail * mix(0.35, 1, rim);
  const speck = 0.05 * (hash2(x, y, 61) - 0.5);
  set(out, 0.62 * light + speck, 0.56 * light + speck, 0.47 * light + speck);
}

/** Upright reeds: dense below, single stalks with heads above. */
export function reeds(renderer: Renderer, width: number, height: number, seed: number, brightness: number): Texture {
  const texture = renderer.texture(width, height);
  const values = renderer.f32(texture.at, width * height * 4);
  for (let n = 0; n < width * 1.1; n++) {
    const x0 = hash2(n, 1, seed) * width;
    const top = height * (0.06 + 0.5 * hash2(n, 2, seed) ** 1.4);
    const lean = (hash2(n, 3, seed) - 0.5) * 0.3;
    const bend = (hash2(n, 4, seed) - 0.5) * 0.5;
    const thick = 0.7 + 1.6 * hash2(n, 5, seed);
    const tone = (0.55 + 0.6 * hash2(n, 6, seed)) * brightness;
    const dry = hash2(n, 7, seed);
    for (let y = Math.floor(top); y < height; y++) {
      const up = (height - y) / height;
      const x = x0 + height * (lean * up + bend * up * up * 0.5);
      const head = y < top + height * 0.07 ? 2.2 : 1;
      const r = thick * head;
      for (let i = Math.ceil(x - r); i <= x + r; i++) {
        if (i < 0 || i >= width) continue;
        const shade = tone * (0.55 + 0.45 * Math.cos(((i - x) / r) * 1.2)) * (0.5 + 0.5 * smoothstep(0, 0.55, up));
        const at = (y * width + i) * 4;
        const speck = 1 + 0.25 * (hash2(i, y, seed + 9) - 0.5);
        values[at] = Math.min(1, mix(0.46, 0.74, dry) * shade * speck * (head > 1 ? 0.75 : 1));
        values[at + 1] = Math.min(1, mix(0.52, 0.63, dry) * shade * speck * (head > 1 ? 0.6 : 1));
        values[at + 2] = Math.min(1, mix(0.25, 0.38, dry) * shade * speck * (head > 1 ? 0.6 : 1));
        values[at + 3] = 1;
      }
    }
  }
  renderer.refresh(texture);
  return texture;
}

/** Sky with clouds, and along its lower edge a far shore with trees and the drainage mill. */
export function skyWithMill(renderer: Renderer, width: number, height: number, horizon: number): Texture {
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    const t = y / horizon;
    const cloud = smoothstep(0.45, 0.75, fractal(x / 420, y / 150, 6, 71)) * smoothstep(0, 0.3, t);
    const wisps = 0.08 * (fractal(x / 60, y / 20, 4, 73) - 0.5);
    set(
      out,
      mix(mix(0.45, 0.8, t), 0.93, cloud) + wisps,
      mix(mix(0.6, 0.85, t), 0.92, cloud) + wisps,
      mix(mix(0.8, 0.9, t), 0.93, cloud) + wisps,
    );
    const shore = horizon - 18 - 34 * fractal(x / 160, 3, 4, 79) - 8 * noise(x / 7, 1, 83);
    if (y > shore) {
      const leaf = fractal(x / 9, y / 7, 3, 89);
      set(out, 0.24 + 0.2 * leaf, 0.29 + 0.2 * leaf, 0.23 + 0.14 * leaf);
    }
    mill(x - width * 0.62, horizon - y, out);
  });
}

/** The mill: a tapered brick tower with a cap and four sails, `h` texels above the shore. */
function mill(x: number, h: number, out: Float32Array): void {
  const body = 46 - 0.09 * h;
  if (h > 0 && h < 230 && Math.abs(x) < body) {
    const course = Math.floor(h / 5);
    const brick = hash2(Math.floor((x + (course % 2) * 5) / 10), course, 91);
    const joint = h % 5 < 1 || Math.abs((x + (course % 2) * 5) % 10) < 1 ? 0.75 : 1;
    const round = 0.6 + 0.4 * Math.cos((x / body - 0.3) * 1.3);
    const window = Math.abs(x - 6) < 8 && (Math.abs(h - 70) < 13 || Math.abs(h - 150) < 11) ? 0.35 : 1;
    const light = round * joint * window * (0.8 + 0.4 * brick);
    set(out, 0.55 * light, 0.36 * light, 0.29 * light);
  }
  if (h >= 230 && h < 262 && Math.abs(x) < 34 * Math.sqrt(Math.max(0, 1 - ((h - 230) / 32) ** 2)))
    set(out, 0.24, 0.25, 0.27);
  const [dx, dy] = [x + 4, h - 238];
  for (let k = 0; k < 4; k++) {
    const a = 0.5 + (k * Math.PI) / 2;
    const along = dx * Math.cos(a) + dy * Math.sin(a);
    const side = -dx * Math.sin(a) + dy * Math.cos(a);
    if (along < 6 || along > 150) continue;
    const spar = Math.abs(side) < 2;
    const lattice = side > 0 && side < 26 && along > 26 && (along % 13 < 1.6 || side % 12.5 < 1.4);
    if (spar || lattice) set(out, 0.85, 0.83, 0.78);
  }
}

/** Bricks in stretcher bond, 54 by 19 texels with their joints, worn and damp. */
function bricks(x: number, y: number, height: number, out: Float32Array): void {
  const [bw, bh] = [54, 19];
  const course = Math.floor(y / bh);
  const shift = (course % 2) * (bw / 2);
  const u = (x + shift) % bw;
  const v = y % bh;
  const wear = 2.5 * noise(x / 6, y / 6, 101);
  const mortar = u < 2.5 + wear * 0.6 || v < 2.5 + wear * 0.6;
  const tone = hash2(Math.floor((x + shift) / bw), course, 103);
  const rough = fractal(x / 5, y / 5, 4, 107);
  const damp = mix(0.72, 1.05, fractal(x / 300, y / 260, 4, 109)) * mix(0.8, 1, smoothstep(height, height * 0.7, y));
  const speck = 0.06 * (hash2(x, y, 113) - 0.5);
  const l = damp * (0.6 + 0.5 * rough);
  if (mortar) set(out, 0.62 * l + speck, 0.58 * l + speck, 0.52 * l + speck);
  else set(out, mix(0.56, 0.7, tone) * l + speck, mix(0.3, 0.42, tone) * l + speck, mix(0.22, 0.31, tone) * l + speck);
}

/** A brick wall with a green door, a small window and a lamp. One texel is 2 mm or so. */
export function wallWithDoor(renderer: Renderer, width: number, height: number): Texture {
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    bricks(x, y, height, out);
    door(x - width * 0.56, height - y, height, out);
    window(x - width * 0.25, y - height * 0.32, out);
  });
}

/** The granary's long brick wall with a loading hatch, two windows and a course of pale stone. */
export function granaryWall(renderer: Renderer, width: number, height: number): Texture {
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    bricks(x, y, height, out);
    if (Math.abs(y - height * 0.2) < 22) {
      const l = 0.55 + 0.25 * fractal(x / 22, y / 18, 4, 233) - 0.2 * smoothstep(2, 0, x % 210);
      set(out, l, l * 0.96, l * 0.87);
    }
    hatch(x - width * 0.72, y - height * 0.52, out);
    window(x - width * 0.2, y - height * 0.5, out);
    window(x - width * 0.93, y - height * 0.5, out);
  });
}

/** A loading hatch of tarred boards with iron hinges. */
function hatch(x: number, y: number, out: Float32Array): void {
  const [w, h] = [230, 260];
  if (Math.abs(x) > w + 26 || Math.abs(y) > h + 26) return;
  if (Math.abs(x) > w || Math.abs(y) > h) {
    const g = 0.34 + 0.2 * fractal(x / 9, y / 40, 4, 239);
    return set(out, g, g * 0.86, g * 0.7);
  }
  const board = Math.floor((x + w) / 66);
  const grain = fractal((x + w) / 6 + board * 23, y / 100, 4, 241);
  const gap = smoothstep(0, 5, (x + w) % 66);
  const hinge = Math.abs(Math.abs(y) - h * 0.62) < 15 && x < w * 0.5 ? 0.5 : 1;
  const l = (0.2 + 0.2 * grain) * mix(0.35, 1, gap) * hinge + 0.04 * (hash2(x, y, 251) - 0.5);
  set(out, l * 1.05, l, l * 0.94);
}

/** A painted sign on boards, nailed to a wall: a sheaf of corn, a line of writing, flaking. */
export function paintedSign(renderer: Renderer, width: number, height: number): Texture {
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    const rim = Math.min(x, y, width - 1 - x, height - 1 - y);
    const grain = fractal(x / 70, y / 5, 4, 257);
    const flake = smoothstep(0.6, 0.68, fractal(x / 24, y / 20, 4, 263));
    const letters = writing(x - width * 0.36, y - height * 0.38, height * 0.2);
    const sheaf = corn(x - width * 0.18, y - height * 0.52, height * 0.36);
    const paint = rim < 14 || letters || sheaf ? [0.86, 0.78, 0.55] : [0.13, 0.24, 0.36];
    const l = (0.75 + 0.4 * grain) * (rim < 3 ? 0.5 : 1);
    const bare = 0.45 + 0.25 * grain;
    set(
      out,
      mix(paint[0] * l, bare, flake),
      mix(paint[1] * l, bare * 0.85, flake),
      mix(paint[2] * l, bare * 0.66, flake),
    );
  });
}

/** LANTERN in stencilled capitals of height `h`, each on a grid of 4 by 5. */
function writing(x: number, y: number, h: number): boolean {
  const glyphs = [0x8888f, 0x69f99, 0x9db99, 0xf6666, 0xf8e8f, 0xe9ea9, 0x9db99];
  const cell = h / 5;
  const n = Math.floor(x / (cell * 5));
  const [c, r] = [Math.floor(x / cell) - n * 5, Math.floor(y / cell)];
  if (n < 0 || n >= glyphs.length || c > 3 || c < 0 || r < 0 || r > 4) return false;
  return ((glyphs[n] >> ((4 - r) * 4 + (3 - c))) & 1) === 1;
}

/** Ears of corn fanning out of a binding. */
function corn(x: number, y: number, r: number): boolean {
  const d = Math.hypot(x, y + r * 0.1);
  const a = Math.atan2(x, -y);
  const spoke = Math.abs(((a / 0.24 + 100.5) % 1) - 0.5) * d * 0.24;
  if (y < 0) return d < r && Math.abs(a) < 0.9 && spoke < (d > r * 0.55 ? r * 0.05 : r * 0.02);
  return (
    y < r * 0.8 &&
    Math.abs(x) < r * (0.1 + 0.25 * (y / r)) &&
    (Math.abs(y) < r * 0.07 || Math.abs(((x / r) * 9) % 1) > 0.4)
  );
}

/** A cast-iron rain pipe with sockets and brackets, round in the light. */
export function rainPipe(renderer: Renderer, width: number, height: number): Texture {
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    const u = (x / width - 0.5) * 2;
    const socket = y % 420 < 34;
    const bracket = Math.abs((y % 420) - 60) < 9;
    const half = bracket ? 0.98 : socket ? 0.76 : 0.6;
    const a = smoothstep(half, half - 0.05, Math.abs(u));
    const round = bracket ? 0.7 : 0.35 + 0.65 * Math.sqrt(Math.max(0, 1 - (u / half + 0.35) ** 2 * 0.8));
    const rust = smoothstep(0.58, 0.72, fractal(x / 18, y / 40, 4, 269));
    const l = round * (0.85 + 0.3 * fractal(x / 6, y / 9, 3, 271));
    set(out, mix(0.3, 0.46, rust) * l, mix(0.33, 0.29, rust) * l, mix(0.34, 0.19, rust) * l, a);
  });
}

/** A weathered mooring post, bark gone, round in the light; ragged at its top. */
export function mooringPost(renderer: Renderer, width: number, height: number): Texture {
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    const u = (x / width - 0.5) * 2;
    const half = 0.9 + 0.05 * noise(3, y / 60, 277);
    const a = smoothstep(half, half - 0.02, Math.abs(u)) * smoothstep(6, 10, y + 10 * noise(x / 9, 1, 281));
    const crack = smoothstep(
      0.3,
      0.16,
      Math.abs(noise(x / 11 + 0.3 * fractal(x / 40, y / 200, 3, 283), y / 260, 293) - 0.5) * 2,
    );
    const grain = fractal(x / 5, y / 130, 5, 307);
    const rope = y > height * 0.18 && y < height * 0.26 ? 0.5 + 0.5 * Math.abs(Math.sin((y + x * 0.25) / 9)) : 0;
    const l = (0.3 + 0.7 * Math.sqrt(Math.max(0, 1 - (u + 0.25) ** 2 * 0.6))) * (0.5 + 0.5 * grain) * (1 - 0.7 * crack);
    if (rope > 0)
      set(out, 0.6 * rope * (0.6 + l * 0.6), 0.5 * rope * (0.6 + l * 0.6), 0.36 * rope * (0.6 + l * 0.6), a);
    else set(out, 0.55 * l, 0.52 * l, 0.47 * l, a);
  });
}

function door(x: number, up: number, height: number, out: Float32Array): void {
  const [half, tall] = [250, Math.min(1000, height * 0.8)];
  if (Math.abs(x) > half + 34 || up > tall + 34) return;
  if (Math.abs(x) > half || up > tall) {
    const g = 0.5 + 0.2 * fractal(x / 30, up / 30, 4, 127);
    return set(out, g, g * 0.97, g * 0.9);
  }
  const board = Math.floor((x + half) / 84);
  const u = (x + half) % 84;
  const grain = fractal(u / 7 + board * 19, up / 120, 4, 131);
  const peel = smoothstep(0.66, 0.72, fractal(x / 26, up / 30, 4, 137));
  const groove = smoothstep(0, 4, u) * smoothstep(0, 4, 84 - u);
  const rail = [0.12, 0.5, 0.86].some((r) => Math.abs(up - r * tall) < 36) ? 1.12 : 1;
  const l = (0.75 + 0.35 * grain) * mix(0.4, 1, groove) * rail;
  set(out, mix(0.16, 0.5, peel) * l, mix(0.34, 0.43, peel) * l, mix(0.27, 0.34, peel) * l);
  if (Math.hypot(x + 190, up - tall * 0.47) < 16) set(out, 0.75, 0.65, 0.4);
}

function window(x: number, y: number, out: Float32Array): void {
  if (Math.abs(x) > 170 || Math.abs(y) > 210) return;
  const bar = Math.abs(x) > 146 || Math.abs(y) > 186 || Math.abs(x) < 9 || Math.abs(y + 20) < 8;
  if (bar) {
    const g = 0.72 + 0.16 * fractal(x / 9, y / 9, 3, 139);
    return set(out, g, g, g * 0.95);
  }
  const sky = 0.3 + 0.35 * fractal(x / 130 + y / 400, y / 90, 4, 149);
  set(out, sky * 0.75, sky * 0.85, sky);
}

/** Cobbles, rows staggered, worn round. */
export function cobbles(renderer: Renderer, width: number, height: number): Texture {
  const [cw, ch] = [74, 58];
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    const row = Math.floor(y / ch);
    const u = (x + (row % 2) * (cw / 2)) / cw;
    const n = Math.floor(u);
    const [a, b] = [(u - n - 0.5) * 2, ((y % ch) / ch - 0.5) * 2];
    const jitter = 0.14 * (noise(x / 20, y / 20, 151) - 0.5);
    const d = Math.max(Math.abs(a), Math.abs(b)) + 0.2 * a * a * b * b + jitter;
    const stone = smoothstep(0.97, 0.8, d);
    const tone = 0.72 + 0.45 * hash2(n, row, 157);
    const rough = fractal(x / 7, y / 7, 4, 163);
    const dome = 1 - 0.3 * (a * a + b * b) - 0.12 * b;
    const speck = 0.07 * (hash2(x, y, 167) - 0.5);
    const l = mix(0.2 + 0.1 * rough, tone * dome * (0.36 + 0.3 * rough), stone) + speck;
    set(out, l * 1.02, l, l * 0.95);
  });
}

/** Fields, ditches and tracks of the fen from above. One texel is about 5 cm. */
export function fenland(renderer: Renderer, size: number): Texture {
  return renderer.paint(renderer.texture(size, size), (x, y, out) => {
    const [wx, wy] = [x + 40 * (noise(x / 260, y / 260, 171) - 0.5), y + 40 * (noise(x / 240, y / 280, 173) - 0.5)];
    const [fx, fy] = [Math.floor(wx / 610), Math.floor(wy / 430)];
    const kind = hash2(fx, fy, 179);
    const rowsAcross = kind > 0.5;
    const furrow = 0.5 + 0.5 * Math.sin((rowsAcross ? wy : wx) / (1.9 + 2.2 * kind) + 2 * noise(x / 40, y / 40, 181));
    const clump = fractal(x / 11, y / 11, 4, 187);
    const patch = fractal(x / 130, y / 130, 4, 191);
    const g = 0.3 + 0.26 * clump + 0.16 * patch + 0.1 * furrow;
    set(out, g * mix(0.72, 1.15, kind), g * mix(0.95, 1.0, kind), g * mix(0.45, 0.6, kind));
    const ex = Math.min(wx - fx * 610, (fx + 1) * 610 - wx);
    const ey = Math.min(wy - fy * 430, (fy + 1) * 430 - wy);
    const edge = Math.min(ex, ey);
    if (edge < 16) {
      const water = smoothstep(12, 8, edge);
      const glint = 0.1 * fractal(x / 6, y / 3, 3, 193);
      const bank = 0.24 + 0.2 * clump;
      set(
        out,
        mix(bank, 0.2 + glint, water),
        mix(bank * 1.05, 0.27 + glint, water),
        mix(bank * 0.6, 0.3 + glint, water),
      );
    }
    const speck = 0.08 * (hash2(x, y, 197) - 0.5);
    for (let c = 0; c < 3; c++) out[c] += speck;
  });
}

/** Top of the dyke: a gravel track with two worn ruts and grass at its sides; fades out at the long edges. */
export function dykeTop(renderer: Renderer, width: number, height: number): Texture {
  return renderer.paint(renderer.texture(width, height), (x, y, out) => {
    const v = (y / height - 0.5) * 2;
    const wobble = 0.05 * (noise(x / 70, 5, 199) - 0.5);
    const rut = Math.max(
      smoothstep(0.12, 0.03, Math.abs(v - 0.26 + wobble)),
      smoothstep(0.12, 0.03, Math.abs(v + 0.26 + wobble)),
    );
    const gravel = fractal(x / 3.2, y / 3.2, 3, 211);
    const grass = fractal(x / 6, y / 5, 4, 223);
    const track = smoothstep(0.62, 0.5, Math.abs(v) + 0.1 * (grass - 0.5));
    const l = mix(0.28 + 0.3 * grass, 0.42 + 0.3 * gravel + 0.1 * rut, track);
    const speck = 0.09 * (hash2(x, y, 227) - 0.5);
    const a = smoothstep(1, 0.93, Math.abs(v) + 0.08 * (noise(x / 14, y / 14, 229) - 0.5));
    set(
      out,
      (l + speck) * mix(0.85, 1.02, track),
      (l + speck) * mix(1.0, 0.96, track),
      (l + speck) * mix(0.5, 0.84, track),
      a,
    );
  });
}

/** Crown of a bush from above: leaves in clumps, ragged edge. */
export function crown(renderer: Renderer, size: number, seed: number): Texture {
  return renderer.paint(renderer.texture(size, size), (x, y, out) => {
    const [u, v] = [(x / size - 0.5) * 2, (y / size - 0.5) * 2];
    const r = Math.hypot(u, v);
    const ragged = r + 0.5 * (fractal(u * 3 + 9, v * 3 + 9, 4, seed) - 0.5);
    const leaf = fractal(x / 7, y / 7, 4, seed + 5);
    const light = (0.5 + 0.7 * leaf) * (1.05 - 0.25 * u - 0.3 * v * 0.5);
    set(out, 0.3 * light, 0.38 * light, 0.17 * light, smoothstep(0.78, 0.7, ragged));
  });
}
