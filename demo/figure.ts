import type { Plane, Vec3 } from './camera.ts';
import { fractal, hash2, mix, noise, smoothstep } from './noise.ts';
import type { Layer, Renderer, Texture } from './renderer.ts';

type Colour = readonly [number, number, number];

/** A tapered limb between two joints, in the figure's own plane: metres, x along the way, y up. */
interface Limb {
  ax: number;
  ay: number;
  bx: number;
  by: number;
  ra: number;
  rb: number;
  colour: Colour;
  /** Strength of cloth folds, 0..1. */
  folds: number;
}

export interface Clothes {
  coat: Colour;
  trousers: Colour;
  skin: Colour;
  hair: Colour;
  shoes: Colour;
}

export interface Walk {
  /** Place of the feet's middle at time 0 and velocity, metres on the ground along x; depth z. */
  x: number;
  z: number;
  speed: number;
  /** Body height, m. */
  height: number;
  clothes: Clothes;
  seed: number;
}

/** Half width and height of the plane a walker is painted in, m. */
const HALF_WIDTH = 0.8;
const HEIGHT = 2.1;

/** Joints of a walking body: swings of hip and knee, shoulder and elbow after the usual gait curves. */
export function walkerLimbs(walk: Walk, time: number): Limb[] {
  const k = walk.height / 1.75;
  const dir = Math.sign(walk.speed);
  const phase = (2 * Math.PI * Math.abs(walk.speed) * time) / (1.45 * k) + walk.seed;
  const bob = 0.02 * Math.cos(2 * phase);
  const hip = { x: 0, y: 0.92 * k + bob };
  const neck = { x: 0.04 * dir, y: 1.47 * k + bob };
  const { coat, trousers, skin, hair, shoes } = walk.clothes;
  const leg = (p: number): Limb[] => {
    const swing = 0.42 * Math.sin(p);
    const bend = 0.12 + 0.75 * Math.max(0, Math.sin(p + 1.1)) ** 2;
    const knee = { x: hip.x + dir * Math.sin(swing) * 0.44 * k, y: hip.y - Math.cos(swing) * 0.44 * k };
    const shin = swing - bend;
    const ankle = { x: knee.x + dir * Math.sin(shin) * 0.42 * k, y: knee.y - Math.cos(shin) * 0.42 * k };
    const toe = { x: ankle.x + dir * 0.19 * k, y: ankle.y - 0.04 + 0.1 * Math.max(0, -shin) };
    return [
      { ax: hip.x, ay: hip.y, bx: knee.x, by: knee.y, ra: 0.105 * k, rb: 0.07 * k, colour: trousers, folds: 0.6 },
      { ax: knee.x, ay: knee.y, bx: ankle.x, by: ankle.y, ra: 0.072 * k, rb: 0.05 * k, colour: trousers, folds: 0.8 },
      { ax: ankle.x, ay: ankle.y - 0.015, bx: toe.x, by: toe.y, ra: 0.05 * k, rb: 0.035 * k, colour: shoes, folds: 0 },
    ];
  };
  const arm = (p: number): Limb[] => {
    const swing = 0.36 * Math.sin(p);
    const elbow = { x: neck.x + dir * Math.sin(swing) * 0.3 * k, y: neck.y - 0.06 - Math.cos(swing) * 0.3 * k };
    const fore = swing + 0.3 + 0.15 * Math.sin(p);
    const hand = { x: elbow.x + dir * Math.sin(fore) * 0.27 * k, y: elbow.y - Math.cos(fore) * 0.27 * k };
    return [
      {
        ax: neck.x,
        ay: neck.y - 0.06,
        bx: elbow.x,
        by: elbow.y,
        ra: 0.065 * k,
        rb: 0.05 * k,
        colour: coat,
        folds: 0.8,
      },
      { ax: elbow.x, ay: elbow.y, bx: hand.x, by: hand.y, ra: 0.05 * k, rb: 0.036 * k, colour: coat, folds: 0.7 },
      {
        ax: hand.x,
        ay: hand.y,
        bx: hand.x + dir * 0.03,
        by: hand.y - 0.07,
        ra: 0.036,
        rb: 0.028,
        colour: skin,
        folds: 0,
      },
    ];
  };
  const head = { x: neck.x + 0.02 * dir, y: neck.y + 0.2 * k };
  return [
    ...arm(phase),
    ...leg(phase + Math.PI),
    { ax: hip.x, ay: hip.y + 0.02, bx: neck.x, by: neck.y - 0.12, ra: 0.15 * k, rb: 0.17 * k, colour: coat, folds: 1 },
    { ax: hip.x, ay: hip.y - 0.14, bx: hip.x, by: hip.y + 0.1, ra: 0.16 * k, rb: 0.15 * k, colour: coat, folds: 1 },
    {
      ax: neck.x,
      ay: neck.y - 0.02,
      bx: neck.x + 0.01 * dir,
      by: neck.y + 0.08,
      ra: 0.058,
      rb: 0.055,
      colour: skin,
      folds: 0,
    },
    {
      ax: head.x,
      ay: head.y - 0.03,
      bx: head.x + 0.015 * dir,
      by: head.y + 0.04,
      ra: 0.092 * k,
      rb: 0.095 * k,
      colour: skin,
      folds: 0,
    },
    {
      ax: head.x - 0.03 * dir,
      ay: head.y + 0.045,
      bx: head.x + 0.03 * dir,
      by: head.y + 0.075,
      ra: 0.088 * k,
      rb: 0.075 * k,
      colour: hair,
      folds: 0.5,
    },
    ...leg(phase),
    ...arm(phase + Math.PI),
  ];
}

/** Paints limbs over one another, shaded as round bodies with cloth, into a texture of the figure's plane. */
export function paintLimbs(
  renderer: Renderer,
  texture: Texture,
  limbs: Limb[],
  halfWidth: number,
  height: number,
  sun: Vec3,
  seed: number,
): void {
  const { width: w, height: h } = texture;
  const values = renderer.f32(texture.at, w * h * 4).fill(0);
  const px = (2 * halfWidth) / w;
  limbs.forEach((limb, n) => paintLimb(values, w, h, px, halfWidth, height, limb, sun, seed + n * 17));
  renderer.refresh(texture);
}

function paintLimb(
  values: Float32Array,
  w: number,
  h: number,
  px: number,
  halfWidth: number,
  height: number,
  l: Limb,
  sun: Vec3,
  seed: number,
): void {
  const r = Math.max(l.ra, l.rb) + px;
  const x0 = Math.max(0, Math.floor((Math.min(l.ax, l.bx) - r + halfWidth) / px));
  const x1 = Math.min(w - 1, Math.ceil((Math.max(l.ax, l.bx) + r + halfWidth) / px));
  const y0 = Math.max(0, Math.floor((height - Math.max(l.ay, l.by) - r) / px));
  const y1 = Math.min(h - 1, Math.ceil((height - Math.min(l.ay, l.by) + r) / px));
  const [dx, dy] = [l.bx - l.ax, l.by - l.ay];
  const length2 = dx * dx + dy * dy;
  const length = Math.sqrt(length2) || 1;
  for (let y = y0; y <= y1; y++) {
    const wy = height - (y + 0.5) * px;
    for (let x = x0; x <= x1; x++) {
      const wx = (x + 0.5) * px - halfWidth;
      const t = Math.min(1, Math.max(0, ((wx - l.ax) * dx + (wy - l.ay) * dy) / length2));
      const radius = l.ra + (l.rb - l.ra) * t;
      const ox = wx - l.ax - t * dx;
      const oy = wy - l.ay - t * dy;
      const d = Math.hypot(ox, oy);
      const cover = smoothstep(radius + px * 0.7, radius - px * 0.7, d);
      if (cover === 0) continue;
      const side = (ox * -dy + oy * dx) / length / radius;
      const depth = Math.sqrt(Math.max(0.02, 1 - (d / radius) ** 2));
      const fold = l.folds * 0.35 * (fractal(side * 1.6 + seed, t * length * 9 + side * 2, 3, seed) - 0.5);
      const light = 0.42 + 0.5 * Math.max(0, ((-ox * sun[0] + oy * -sun[1]) / radius) * 0.6 + depth * 0.7) + fold;
      const weave = 1 + 0.12 * (hash2(x, y, seed) - 0.5) + 0.1 * (noise(x * 0.45, y * 0.45, seed) - 0.5);
      const i = (y * w + x) * 4;
      for (let c = 0; c < 3; c++) values[i + c] = mix(values[i + c], Math.min(1, l.colour[c] * light * weave), cover);
      values[i + 3] = mix(values[i + 3], 1, cover);
    }
  }
}

/** Paints the limbs' shadow on the ground: soft where the limb is high above it. */
export function paintShadow(
  renderer: Renderer,
  texture: Texture,
  limbs: Limb[],
  size: { width: number; depth: number },
  sun: Vec3,
  strength: number,
): void {
  const { width: w, height: h } = texture;
  const values = renderer.f32(texture.at, w * h * 4).fill(0);
  const [sx, sz] = [size.width / w, size.depth / h];
  const cast = (x: number, y: number): [number, number] => [x + (sun[0] / -sun[1]) * y, (sun[2] / -sun[1]) * y];
  for (const l of limbs) {
    const [ax, az] = cast(l.ax, Math.max(0, l.ay));
    const [bx, bz] = cast(l.bx, Math.max(0, l.by));
    const blur = 0.012 + 0.02 * Math.max(0, (l.ay + l.by) / 2);
    const r = Math.max(l.ra, l.rb) + blur;
    const length2 = (bx - ax) ** 2 + (bz - az) ** 2 || 1e-9;
    const x0 = Math.max(0, Math.floor((Math.min(ax, bx) - r + size.width / 2) / sx));
    const x1 = Math.min(w - 1, Math.ceil((Math.max(ax, bx) + r + size.width / 2) / sx));
    const y0 = Math.max(0, Math.floor((size.depth / 2 - Math.max(az, bz) - r) / sz));
    const y1 = Math.min(h - 1, Math.ceil((size.depth / 2 - Math.min(az, bz) + r) / sz));
    for (let y = y0; y <= y1; y++) {
      for (let x = x0; x <= x1; x++) {
        const wx = (x + 0.5) * sx - size.width / 2;
        const wz = size.depth / 2 - (y + 0.5) * sz;
        const t = Math.min(1, Math.max(0, ((wx - ax) * (bx - ax) + (wz - az) * (bz - az)) / length2));
        const d = Math.hypot(wx - ax - t * (bx - ax), wz - az - t * (bz - az));
        const radius = l.ra + (l.rb - l.ra) * t;
        const a = strength * smoothstep(radius + blur, radius - blur, d);
        const i = (y * w + x) * 4;
        if (a > values[i + 3]) {
          values[i + 3] = a;
          // Shadows are a little blue: the sky still lights them.
          values[i] = 0.02 * a;
          values[i + 1] = 0.03 * a;
          values[i + 2] = 0.06 * a;
        }
      }
    }
  }
  renderer.refresh(texture);
}

/** A walker's two layers, repainted for a moment: body upright in space, shadow on the ground. */
export class Walker {
  private readonly body: Texture;
  private readonly shadow: Texture;

  constructor(
    private readonly renderer: Renderer,
    private readonly walk: Walk,
    private readonly sun: Vec3,
    detail = 420,
    private readonly shadowStrength = 0.55,
  ) {
    this.body = renderer.texture(detail, Math.round((detail * HEIGHT) / (2 * HALF_WIDTH)));
    this.shadow = renderer.texture(440, 260);
  }

  /** Layers at a time, the shadow first. */
  at(time: number): { shadow: Layer; body: Layer } {
    const { x, z, speed, seed } = this.walk;
    const limbs = walkerLimbs(this.walk, time);
    const size = { width: 4.4, depth: 2.6 };
    paintLimbs(this.renderer, this.body, limbs, HALF_WIDTH, HEIGHT, this.sun, Math.round(seed * 100));
    paintShadow(this.renderer, this.shadow, limbs, size, this.sun, this.shadowStrength);
    const at = x + speed * time;
    return {
      body: { texture: this.body, plane: upright(at, z, HALF_WIDTH, HEIGHT) },
      shadow: { texture: this.shadow, plane: flat(at, z, size.width, size.depth, 0.002) },
    };
  }
}

export const upright = (x: number, z: number, halfWidth: number, height: number): Plane => ({
  origin: [x - halfWidth, height, z],
  across: [2 * halfWidth, 0, 0],
  down: [0, -height, 0],
});

/** A level rectangle around (x, z), its first row farthest away. */
export const flat = (x: number, z: number, width: number, depth: number, y: number): Plane => ({
  origin: [x - width / 2, y, z + depth / 2],
  across: [width, 0, 0],
  down: [0, 0, -depth],
});

/** Limbs of a cyclist with the bicycle: wheels and frame as thin limbs, turning cranks, a leaning rider. */
export function cyclistLimbs(time: number, speed: number, clothes: Clothes): Limb[] {
  const dir = Math.sign(speed);
  const turn = (Math.abs(speed) * time) / 0.34;
  const crank = turn * 0.42;
  const steel: Colour = [0.16, 0.2, 0.24];
  const tyre: Colour = [0.07, 0.07, 0.08];
  const bar = (ax: number, ay: number, bx: number, by: number, r: number, colour: Colour, folds = 0, rb = r): Limb => ({
    ax: ax * dir,
    ay,
    bx: bx * dir,
    by,
    ra: r,
    rb,
    colour,
    folds,
  });
  const wheel = (cx: number): Limb[] => {
    const rim = Array.from({ length: 20 }, (_, i) => {
      const [a, b] = [(i * Math.PI) / 10, ((i + 1) * Math.PI) / 10];
      return bar(
        cx + 0.33 * Math.cos(a),
        0.34 + 0.33 * Math.sin(a),
        cx + 0.33 * Math.cos(b),
        0.34 + 0.33 * Math.sin(b),
        0.018,
        tyre,
      );
    });
    const spokes = Array.from({ length: 9 }, (_, i) => {
      const a = (i * 2 * Math.PI) / 9 - turn;
      return bar(cx, 0.34, cx + 0.31 * Math.cos(a), 0.34 + 0.31 * Math.sin(a), 0.0035, steel);
    });
    return [...spokes, ...rim];
  };
  const leg = (p: number): Limb[] => {
    const pedal = { x: -0.02 + 0.17 * Math.cos(p), y: 0.28 + 0.17 * Math.sin(p) };
    const hip = { x: -0.22, y: 0.98 };
    const reach = Math.hypot(pedal.x - hip.x, pedal.y - hip.y);
    const bend = Math.sqrt(Math.max(0.001, 0.43 ** 2 - (reach / 2) ** 2));
    const knee = {
      x: (hip.x + pedal.x) / 2 + (bend * (hip.y - pedal.y)) / reach,
      y: (hip.y + pedal.y) / 2 + (bend * (pedal.x - hip.x)) / reach,
    };
    return [
      bar(hip.x, hip.y, knee.x, knee.y, 0.09, clothes.trousers, 0.6, 0.065),
      bar(knee.x, knee.y, pedal.x, pedal.y + 0.06, 0.062, clothes.trousers, 0.7, 0.045),
      bar(pedal.x - 0.06, pedal.y + 0.03, pedal.x + 0.12, pedal.y + 0.02, 0.04, clothes.shoes),
    ];
  };
  return [
    ...leg(-crank + Math.PI),
    ...wheel(-0.5),
    ...wheel(0.55),
    bar(-0.5, 0.34, -0.02, 0.28, 0.018, steel),
    bar(-0.02, 0.28, -0.2, 0.86, 0.018, steel),
    bar(-0.2, 0.8, 0.36, 0.84, 0.02, steel),
    bar(-0.02, 0.28, 0.4, 0.78, 0.022, steel),
    bar(0.36, 0.94, 0.55, 0.34, 0.018, steel),
    bar(-0.32, 0.92, -0.1, 0.92, 0.035, tyre),
    bar(0.34, 0.98, 0.5, 1.0, 0.018, tyre),
    bar(-0.24, 1.02, 0.06, 1.42, 0.15, clothes.coat, 1, 0.16),
    bar(0.06, 1.4, 0.24, 1.12, 0.06, clothes.coat, 0.8, 0.05),
    bar(0.24, 1.12, 0.44, 1.02, 0.05, clothes.coat, 0.6, 0.036),
    bar(0.1, 1.5, 0.13, 1.58, 0.055, clothes.skin),
    bar(0.15, 1.66, 0.17, 1.7, 0.09, clothes.skin),
    bar(0.11, 1.72, 0.18, 1.76, 0.09, clothes.hair),
    ...leg(-crank),
  ];
}
