/** Half the patch's side: patches are 7x7. */
const R: i32 = 3;

/**
 * Squared distance of two 7x7 patches of a colour plane (four f32 a pixel), abandoned once it exceeds `best`.
 */
// @ts-ignore: decorator
@inline
function distance(image: usize, w: i32, ax: i32, ay: i32, bx: i32, by: i32, best: f32): f32 {
  let total: f32 = 0;
  for (let j = -R; j <= R; j++) {
    const p = image + ((<usize>((ay + j) * w + ax - R)) << 4);
    const q = image + ((<usize>((by + j) * w + bx - R)) << 4);
    let sum = f32x4.splat(0);
    for (let i: usize = 0; i < 7 << 4; i += 16) {
      const d = f32x4.sub(v128.load(p + i), v128.load(q + i));
      sum = f32x4.add(sum, f32x4.mul(d, d));
    }
    total += f32x4.extract_lane(sum, 0) + f32x4.extract_lane(sum, 1) + f32x4.extract_lane(sum, 2) + f32x4.extract_lane(sum, 3);
    if (total >= best) return total;
  }
  return total;
}

// @ts-ignore: decorator
@inline
function next(state: u32): u32 {
  state ^= state << 13;
  state ^= state >> 17;
  state ^= state << 5;
  return state;
}

// @ts-ignore: decorator
@inline
function areApart(ax: i32, ay: i32, bx: i32, by: i32, apart: i32): bool {
  return max(abs(ax - bx), abs(ay - by)) >= apart;
}

/**
 * Nearest source patches by PatchMatch (Barnes et al. 2009): one sweep of propagation and random search.
 *
 * `image` w x h pixels of four f32. `target` bytes: 1 where a patch is looked for. `source` bytes: 1 where a patch
 * may be taken from. `field` holds the patch found as i32 index (y·w + x) per pixel, `cost` its distance (f32).
 * Patches that are taken lie at least `apart` px away, across or down.
 * Targets keep 3 px from the border. Sweeps alternate direction with the parity of `sweep`.
 */
export function patchSweep(
  image: usize, w: i32, h: i32, target: usize, source: usize, field: usize, cost: usize, apart: i32, sweep: i32,
  seed: u32,
): void {
  const forward = (sweep & 1) == 0;
  const step = forward ? 1 : -1;
  let state: u32 = (seed * 0x9e3779b9 + <u32>sweep * 0x85ebca6b) | 1;
  const widest = max(w, h);
  for (let n = 0; n < w * h; n++) {
    const at = forward ? n : w * h - 1 - n;
    if (load<u8>(target + <usize>at) == 0) continue;
    const x = at % w;
    const y = at / w;
    let bestAt = load<i32>(field + (<usize>at << 2));
    let best = f32.MAX_VALUE;
    if (areApart(x, y, bestAt % w, bestAt / w, apart)) best = distance(image, w, x, y, bestAt % w, bestAt / w, best);
    for (let side = 0; side < 2; side++) {
      const from = side == 0 ? at - step : at - step * w;
      if (load<u8>(target + <usize>from) == 0) continue;
      const other = load<i32>(field + (<usize>from << 2)) + (side == 0 ? step : step * w);
      if (other < 0 || other >= w * h || load<u8>(source + <usize>other) == 0) continue;
      if (!areApart(x, y, other % w, other / w, apart)) continue;
      const d = distance(image, w, x, y, other % w, other / w, best);
      if (d < best) {
        best = d;
        bestAt = other;
      }
    }
    for (let radius = widest; radius >= 1; radius >>= 1) {
      state = next(state);
      const sx = bestAt % w + <i32>(state % <u32>(2 * radius + 1)) - radius;
      state = next(state);
      const sy = bestAt / w + <i32>(state % <u32>(2 * radius + 1)) - radius;
      if (sx < 0 || sy < 0 || sx >= w || sy >= h) continue;
      const other = sy * w + sx;
      if (load<u8>(source + <usize>other) == 0 || !areApart(x, y, sx, sy, apart)) continue;
      const d = distance(image, w, x, y, sx, sy, best);
      if (d < best) {
        best = d;
        bestAt = other;
      }
    }
    store<i32>(field + (<usize>at << 2), bestAt);
    store<f32>(cost + (<usize>at << 2), best);
  }
}

/**
 * Colours of the missing pixels from the patches that cover them (Wexler, Shechtman & Irani 2007): the mean of what
 * they say, weighted by exp(-cost / scale). With `sharp`, the colour said by the best of them alone.
 */
export function patchVote(
  image: usize, w: i32, h: i32, missing: usize, target: usize, field: usize, cost: usize, scale: f32, sharp: i32,
  out: usize,
): void {
  for (let y = 0; y < h; y++) {
    for (let x = 0; x < w; x++) {
      const at = y * w + x;
      if (load<u8>(missing + <usize>at) == 0) {
        v128.store(out + (<usize>at << 4), v128.load(image + (<usize>at << 4)));
        continue;
      }
      let sum = f32x4.splat(0);
      let total: f32 = 0;
      let lowest = f32.MAX_VALUE;
      for (let j = -R; j <= R; j++) {
        const py = y + j;
        if (py < 0 || py >= h) continue;
        for (let i = -R; i <= R; i++) {
          const px = x + i;
          if (px < 0 || px >= w) continue;
          const p = py * w + px;
          if (load<u8>(target + <usize>p) == 0) continue;
          const c = load<f32>(cost + (<usize>p << 2));
          const from = load<i32>(field + (<usize>p << 2)) - j * w - i;
          const colour = v128.load(image + (<usize>from << 4));
          if (sharp != 0) {
            // Nearer patch centres are preferred among equals, so that whole patches are copied.
            const near = c + scale * <f32>0.02 * <f32>(i * i + j * j);
            if (near < lowest) {
              lowest = near;
              sum = colour;
              total = 1;
            }
          } else {
            const weight: f32 = <f32>Mathf.exp(-c / scale) + <f32>1e-6;
            sum = f32x4.add(sum, f32x4.mul(colour, f32x4.splat(weight)));
            total += weight;
          }
        }
      }
      const value = total > 0 ? f32x4.div(sum, f32x4.splat(total)) : v128.load(image + (<usize>at << 4));
      v128.store(out + (<usize>at << 4), value);
    }
  }
}
