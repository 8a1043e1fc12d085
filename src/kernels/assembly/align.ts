import { dot, floats4, lanes, sampleTurned, sampleUpright, turnedInside } from './klt';

/** Side of a cell's window, px, and its samples. */
const CELL: i32 = 16;
const SAMPLES: i32 = 256;
const PLANE: usize = 1024;
/** Floats of a cell's record. */
const RECORD: usize = 64;

/**
 * Prepares the windows that are to be found again: their centred samples, gradients, and normal matrix.
 *
 * A record is 16 floats: x y (template, set by the caller), 2..5 unused here, out: 10 hxx, 11 hxy, 12 hyy, 13 energy (sum of
 * squares about the mean), 14 area (sum of the weights; 0 = unusable). `data` is 4 planes of 256 floats a cell: samples,
 * weighted gradients in x and y, and the weights (0..1, set by the caller). Coordinates in px of this level.
 */
export function prepareCells(img: usize, w: i32, h: i32, records: usize, data: usize, n: i32): void {
  const half: f32 = 0.5;
  for (let k = 0; k < n; k++) {
    const r = records + <usize>k * RECORD;
    const t = data + <usize>k * (PLANE << 2);
    const gx = t + PLANE;
    const gy = gx + PLANE;
    const m = gy + PLANE;
    const x = load<f32>(r);
    const y = load<f32>(r, 4);
    store<f32>(r, 0, 56);
    const edge: f32 = 10;
    if (!(x >= edge && y >= edge && x <= <f32>w - 1 - edge && y <= <f32>h - 1 - edge)) continue;
    gradient(img, w, x, y, half, 0, gx, t);
    gradient(img, w, x, y, 0, half, gy, t);
    sampleUpright(img, w, x, y, t);
    const area = total(m);
    const energy = centreWeighted(t, m, area);
    weigh(gx, m);
    weigh(gy, m);
    // Weights of 0 and 1 only are nearly idempotent, so weighted gradients serve for the products too.
    store<f32>(r, dot(gx, gx), 40);
    store<f32>(r, dot(gx, gy), 44);
    store<f32>(r, dot(gy, gy), 48);
    store<f32>(r, energy, 52);
    store<f32>(r, area, 56);
  }
}

/** Central difference over one px along (dx, dy)·2, into `out`; `scratch` holds one plane. */
function gradient(img: usize, w: i32, x: f32, y: f32, dx: f32, dy: f32, out: usize, scratch: usize): void {
  const two: f32 = 2;
  sampleUpright(img, w, x + two * dx, y + two * dy, out);
  sampleUpright(img, w, x - two * dx, y - two * dy, scratch);
  const half = f32x4.splat(0.5);
  for (let i: usize = 0; i < PLANE; i += 16) {
    v128.store(out + i, f32x4.mul(f32x4.sub(v128.load(out + i), v128.load(scratch + i)), half));
  }
}

function total(a: usize): f32 {
  let sum = f32x4.splat(0);
  for (let i: usize = 0; i < PLANE; i += 16) sum = f32x4.add(sum, v128.load(a + i));
  return lanes(sum);
}

function weigh(a: usize, m: usize): void {
  for (let i: usize = 0; i < PLANE; i += 16) v128.store(a + i, f32x4.mul(v128.load(a + i), v128.load(m + i)));
}

/** Takes the weighted mean away; returns the weighted sum of squares. */
function centreWeighted(a: usize, m: usize, area: f32): f32 {
  const least: f32 = 1e-3;
  const mean = f32x4.splat(dot(a, m) / max(area, least));
  let squares = f32x4.splat(0);
  for (let i: usize = 0; i < PLANE; i += 16) {
    const v = f32x4.sub(v128.load(a + i), mean);
    v128.store(a + i, v);
    squares = f32x4.add(squares, f32x4.mul(v128.load(m + i), f32x4.mul(v, v)));
  }
  return lanes(squares);
}

/**
 * How far each prepared window is off in an image, under the turn that is assumed now (inverse compositional
 * Lucas-Kanade, Baker & Matthews 2004; each window has a gain and an offset of its own).
 *
 * Of a record: in 2..5 a b c d (local turn and scale from template to image), 8 9 qx qy (where its centre is assumed
 * to lie); out 6 7 bx by (right side of the window's 2x2 system, whose matrix is 10..12), 15 zncc (-2 = not measured).
 * `work` is scratch for one plane.
 */
export function alignCells(img: usize, w: i32, h: i32, records: usize, data: usize, n: i32, work: usize): void {
  for (let k = 0; k < n; k++) {
    const r = records + <usize>k * RECORD;
    const t = data + <usize>k * (PLANE << 2);
    const m = t + 3 * PLANE;
    const area = load<f32>(r, 56);
    store<f32>(r, -2, 60);
    store<f32>(r, 0, 24);
    store<f32>(r, 0, 28);
    const a = load<f32>(r, 8);
    const b = load<f32>(r, 12);
    const c = load<f32>(r, 16);
    const d = load<f32>(r, 20);
    const qx = load<f32>(r, 32);
    const qy = load<f32>(r, 36);
    if (!(area > 0) || !turnedInside(qx, qy, a, b, c, d, w, h)) continue;
    const slack: f32 = 0.004;
    const one: f32 = 1;
    const upright = abs(a - one) < slack && abs(d - one) < slack && abs(b) < slack && abs(c) < slack;
    if (upright) sampleUpright(img, w, qx, qy, work);
    else sampleTurned(img, w, qx, qy, a, b, c, d, work);
    const power = centreWeighted(work, m, area);
    const energy = load<f32>(r, 52);
    if (!(power > 0) || !(energy > 0)) continue;
    let cross = f32x4.splat(0);
    for (let i: usize = 0; i < PLANE; i += 16) {
      cross = f32x4.add(cross, f32x4.mul(v128.load(m + i), f32x4.mul(v128.load(work + i), v128.load(t + i))));
    }
    const both = lanes(cross);
    const zncc = both / sqrt(power * energy);
    const gain = both > 0 ? both / power : sqrt(energy / power);
    store<f32>(r, gain * dot(t + PLANE, work) - dot(t + PLANE, t), 24);
    store<f32>(r, gain * dot(t + 2 * PLANE, work) - dot(t + 2 * PLANE, t), 28);
    store<f32>(r, zncc, 60);
  }
}

/**
 * Zero-mean normalised correlation of a small template with every place of an image.
 *
 * @param tpl - tw·th floats, centred (weighted mean 0) and weighted: m·(t - mean).
 * @param mask - tw·th weights.
 * @param energy - Sum of m·(t - mean)².
 * @param out - (w - tw + 1)·(h - th + 1) floats, -1..1.
 */
export function correlateRegion(
  img: usize, w: i32, h: i32, tpl: usize, mask: usize, tw: i32, th: i32, energy: f32, area: f32, out: usize,
): void {
  const ow = w - tw + 1;
  const oh = h - th + 1;
  for (let y = 0; y < oh; y++) {
    for (let x = 0; x < ow; x++) {
      let s = f32x4.splat(0);
      let ss = f32x4.splat(0);
      let st = f32x4.splat(0);
      for (let j = 0; j < th; j++) {
        const p = img + (<usize>((y + j) * w + x) << 1);
        const q = <usize>(j * tw) << 2;
        for (let i = 0; i < tw; i += 4) {
          const o = q + (<usize>i << 2);
          const v = floats4(p + (<usize>i << 1));
          const mv = f32x4.mul(v128.load(mask + o), v);
          s = f32x4.add(s, mv);
          ss = f32x4.add(ss, f32x4.mul(mv, v));
          st = f32x4.add(st, f32x4.mul(v128.load(tpl + o), v));
        }
      }
      const sum = lanes(s);
      const power = lanes(ss) - (sum * sum) / area;
      const least: f32 = 1e-3;
      store<f32>(out + (<usize>(y * ow + x) << 2), power > least ? lanes(st) / sqrt(power * energy) : -1);
    }
  }
}
