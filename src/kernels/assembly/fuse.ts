/** IRLS rounds towards the weighted median, then towards the mean of those that agree. */
const MEDIAN_ROUNDS: i32 = 4;
const MEAN_ROUNDS: i32 = 3;

/**
 * Robust mean of `n` candidates per pixel, for a run of `count` pixels (a multiple of 4).
 *
 * Candidate k has its values at values + k·step (f32), its use (bytes 0/1) at usable + k·step/4, how far its colour agrees
 * (bytes, 255 = wholly, {@link agreeColour}) at agreed + k·step/4, gain and offset and weight in params (3 f32 each). Iteratively reweighted: first L1, which finds the weighted median, then
 * Geman-McClure with scale tau, which averages those that agree with it (Holland & Welsch 1977).
 * With `densest` it starts from the candidate that most others agree with instead: the median would lie between what a
 * nearer thing shows that hides the place from most of them.
 * Final weights go to weights + k·step; `mean` gets the fused value, `support` the sum of the weights of those that agree in luma
 * relative to a candidate of weight 1 (0 = nobody saw this pixel), `share` the same as a share of all weights. Colour tells who
 * counts, not how far they agree: much of what is seen twice differs in it, where a codec was short of bits.
 */
export function fuse(
  values: usize, usable: usize, agreed: usize, weights: usize, step: usize, n: i32, params: usize, tau: f32,
  mean: usize, support: usize, share: usize, count: i32, densest: bool,
): void {
  const tiny = f32x4.splat(1e-6);
  const floorAt = f32x4.splat(tau * <f32>0.1);
  const tau2 = f32x4.splat(tau * tau);
  for (let i = 0; i < count; i += 4) {
    const o = <usize>i << 2;
    let whole = f32x4.splat(0);
    let total = f32x4.splat(0);
    let sum = f32x4.splat(0);
    for (let k = 0; k < n; k++) {
      const p = params + <usize>k * 12;
      const v = f32x4.add(
        f32x4.mul(v128.load(values + <usize>k * step + o), f32x4.splat(load<f32>(p))),
        f32x4.splat(load<f32>(p, 4)),
      );
      const byte = <usize>k * (step >> 2) + <usize>i;
      const own = f32x4.mul(bytes4(usable + byte), f32x4.splat(load<f32>(p, 8)));
      const w = f32x4.mul(own, f32x4.div(bytes4(agreed + byte), f32x4.splat(255)));
      v128.store(values + <usize>k * step + o, v);
      v128.store(weights + <usize>k * step + o, w);
      whole = f32x4.add(whole, own);
      total = f32x4.add(total, w);
      sum = f32x4.add(sum, f32x4.mul(w, v));
    }
    if (!v128.any_true(f32x4.gt(whole, tiny))) {
      v128.store(mean + o, f32x4.splat(0));
      v128.store(support + o, f32x4.splat(0));
      v128.store(share + o, f32x4.splat(0));
      continue;
    }
    const all = f32x4.pmax(whole, tiny);
    let m = f32x4.div(sum, f32x4.pmax(total, tiny));
    // Where all candidates lie close together their mean is as good a start as their median.
    const close = spread(values + o, weights + o, step, n, m) < tau;
    if (densest && !close) m = densestOf(values + o, weights + o, step, n, tau2);
    if (!close && !densest) m = medianFrom(m, values + o, weights + o, step, n, floorAt);
    m = meanOfThoseAt(m, values + o, weights + o, step, n, tau2);
    let alike = f32x4.splat(0);
    for (let k = 0; k < n; k++) {
      const at = <usize>k * step + o;
      const byte = <usize>k * (step >> 2) + <usize>i;
      const d = f32x4.sub(v128.load(values + at), m);
      const own = f32x4.mul(bytes4(usable + byte), f32x4.splat(load<f32>(params + <usize>k * 12, 8)));
      v128.store(weights + at, agree(v128.load(weights + at), d, tau2));
      alike = f32x4.add(alike, agree(own, d, tau2));
    }
    v128.store(mean + o, m);
    v128.store(support + o, alike);
    v128.store(share + o, f32x4.div(alike, all));
  }
}

/** The weighted median of the candidates of four pixels, from a start: least absolute differences by reweighting. */
// @ts-ignore: decorator
@inline
function medianFrom(start: v128, values: usize, weights: usize, step: usize, n: i32, least: v128): v128 {
  let m = start;
  for (let round = 0; round < MEDIAN_ROUNDS; round++) {
    let total = f32x4.splat(0);
    let sum = f32x4.splat(0);
    for (let k = 0; k < n; k++) {
      const v = v128.load(values + <usize>k * step);
      const d = f32x4.pmax(f32x4.abs(f32x4.sub(v, m)), least);
      const w = f32x4.div(v128.load(weights + <usize>k * step), d);
      total = f32x4.add(total, w);
      sum = f32x4.add(sum, f32x4.mul(w, v));
    }
    m = f32x4.div(sum, f32x4.pmax(total, f32x4.splat(1e-9)));
  }
  return m;
}

/** The mean of the candidates that agree with a start, and then with their mean. */
// @ts-ignore: decorator
@inline
function meanOfThoseAt(start: v128, values: usize, weights: usize, step: usize, n: i32, tau2: v128): v128 {
  let m = start;
  for (let round = 0; round < MEAN_ROUNDS; round++) {
    let total = f32x4.splat(0);
    let sum = f32x4.splat(0);
    for (let k = 0; k < n; k++) {
      const v = v128.load(values + <usize>k * step);
      const w = agree(v128.load(weights + <usize>k * step), f32x4.sub(v, m), tau2);
      total = f32x4.add(total, w);
      sum = f32x4.add(sum, f32x4.mul(w, v));
    }
    m = f32x4.div(sum, f32x4.pmax(total, f32x4.splat(1e-9)));
  }
  return m;
}

/**
 * How far the candidates of {@link fuse} agree about a plane of colour: one row of `w` of its samples (a multiple of 4), whose sample i has
 * its luma at i·sx of sy rows, `row` bytes apart. The bytes of candidate k at agreed + k·byteStep are multiplied by its agreement
 * with those that agree (scale tau); usable has the same layout. Values as in {@link fuseChroma}; room for n·32 bytes at scratch.
 */
export function agreeColour(
  values: usize, step: usize, usable: usize, agreed: usize, byteStep: usize, row: usize, n: i32, params: usize, tau: f32,
  scratch: usize, w: i32, sx: i32, sy: i32,
): void {
  const weights = scratch + 16;
  const tau2 = f32x4.splat(tau * tau);
  for (let i = 0; i < w; i += 4) {
    const luma = <usize>(i * sx);
    let total = f32x4.splat(1e-9);
    let sum = f32x4.splat(0);
    for (let k = 0; k < n; k++) {
      const p = params + <usize>k * 12;
      const v = f32x4.add(
        f32x4.mul(v128.load(values + <usize>k * step + (<usize>i << 2)), f32x4.splat(load<f32>(p))),
        f32x4.splat(load<f32>(p, 4)),
      );
      const used = corners4(usable + <usize>k * byteStep + luma, sx);
      const weight = f32x4.mul(used, f32x4.splat(load<f32>(p, 8)));
      v128.store(scratch + <usize>k * 32, v);
      v128.store(weights + <usize>k * 32, weight);
      total = f32x4.add(total, weight);
      sum = f32x4.add(sum, f32x4.mul(weight, v));
    }
    let m = f32x4.div(sum, total);
    if (spread(scratch, weights, 32, n, m) < tau) continue;
    m = medianFrom(m, scratch, weights, 32, n, f32x4.splat(tau * <f32>0.1));
    m = meanOfThoseAt(m, scratch, weights, 32, n, tau2);
    for (let k = 0; k < n; k++) {
      const part = agree(f32x4.splat(1), f32x4.sub(v128.load(scratch + <usize>k * 32), m), tau2);
      v128.store(weights + <usize>k * 32, part);
      for (let j = 0; j < 4; j++) {
        const by = load<f32>(weights + <usize>k * 32 + (<usize>j << 2));
        for (let b = 0; b < sy; b++) {
          for (let a = 0; a < sx; a++) {
            const at = agreed + <usize>k * byteStep + <usize>b * row + luma + <usize>(j * sx + a);
            // Never nothing: if no two agree about the colour, luma decides.
            store<u8>(at, <u8>max<f32>(1, <f32>load<u8>(at) * by));
          }
        }
      }
    }
  }
}

/** The bytes at the first of each sx px, four of them. */
// @ts-ignore: decorator
@inline
function corners4(at: usize, sx: i32): v128 {
  if (sx == 1) return bytes4(at);
  return f32x4(<f32>load<u8>(at), <f32>load<u8>(at, 2), <f32>load<u8>(at, 4), <f32>load<u8>(at, 6));
}

// @ts-ignore: decorator
@inline
function bytes4(at: usize): v128 {
  return f32x4.convert_i32x4_s(i32x4.extend_low_i16x8_u(i16x8.extend_low_i8x16_u(v128.load32_zero(at))));
}

/** Per pixel the candidate that most of the weights agree with. */
// @ts-ignore: decorator
@inline
function densestOf(values: usize, weights: usize, step: usize, n: i32, tau2: v128): v128 {
  let best = f32x4.splat(0);
  let most = f32x4.splat(-1);
  for (let k = 0; k < n; k++) {
    const v = v128.load(values + <usize>k * step);
    let sum = f32x4.splat(0);
    for (let j = 0; j < n; j++) {
      const at = <usize>j * step;
      sum = f32x4.add(sum, agree(v128.load(weights + at), f32x4.sub(v128.load(values + at), v), tau2));
    }
    const counts = f32x4.gt(v128.load(weights + <usize>k * step), f32x4.splat(0));
    const better = v128.and(counts, f32x4.gt(sum, most));
    best = v128.bitselect(v, best, better);
    most = v128.bitselect(sum, most, better);
  }
  return best;
}

/** Largest distance of a candidate that counts from `m`, over four pixels. */
// @ts-ignore: decorator
@inline
function spread(values: usize, weights: usize, step: usize, n: i32, m: v128): f32 {
  const none = f32x4.splat(0);
  let most = none;
  for (let k = 0; k < n; k++) {
    const at = <usize>k * step;
    const counts = f32x4.gt(v128.load(weights + at), none);
    most = f32x4.pmax(most, v128.and(f32x4.abs(f32x4.sub(v128.load(values + at), m)), counts));
  }
  return max(
    max(f32x4.extract_lane(most, 0), f32x4.extract_lane(most, 1)),
    max(f32x4.extract_lane(most, 2), f32x4.extract_lane(most, 3)),
  );
}

// @ts-ignore: decorator
@inline
function agree(w: v128, d: v128, tau2: v128): v128 {
  const q = f32x4.div(tau2, f32x4.add(tau2, f32x4.mul(d, d)));
  return f32x4.mul(w, f32x4.mul(q, q));
}

/** Sum of the weights of the luma under four neighbouring samples of a plane with sx luma px per sample. */
// @ts-ignore: decorator
@inline
function weights4(at: usize, rowBytes: usize, sx: i32, sy: i32): v128 {
  let sum = f32x4.splat(0);
  for (let b = 0; b < sy; b++) {
    const p = at + <usize>b * rowBytes;
    if (sx == 2) {
      const l = v128.load(p);
      const r = v128.load(p, 16);
      sum = f32x4.add(sum, f32x4.add(v128.shuffle<f32>(l, r, 0, 2, 4, 6), v128.shuffle<f32>(l, r, 1, 3, 5, 7)));
    } else sum = f32x4.add(sum, v128.load(p));
  }
  return sum;
}

/**
 * Weighted mean of a plane with the weights of the luma plane: one output row of `w` samples (a multiple of 4), whose
 * sample i has its luma at i·sx (sx 1 or 2) of each of the sy weight rows. Values of candidate k at values + k·step;
 * weights at weights + k·weightStep, rows `weightRow` bytes apart. Gain and offset as in {@link fuse}.
 */
export function fuseChroma(
  values: usize, step: usize, weights: usize, weightStep: usize, weightRow: usize, n: i32, params: usize,
  mean: usize, w: i32, sx: i32, sy: i32,
): void {
  for (let i = 0; i < w; i += 4) {
    let total = f32x4.splat(1e-9);
    let sum = f32x4.splat(0);
    for (let k = 0; k < n; k++) {
      const p = params + <usize>k * 12;
      const weight = weights4(weights + <usize>k * weightStep + (<usize>(i * sx) << 2), weightRow, sx, sy);
      const v = f32x4.add(
        f32x4.mul(v128.load(values + <usize>k * step + (<usize>i << 2)), f32x4.splat(load<f32>(p))),
        f32x4.splat(load<f32>(p, 4)),
      );
      total = f32x4.add(total, weight);
      sum = f32x4.add(sum, f32x4.mul(weight, v));
    }
    v128.store(mean + (<usize>i << 2), f32x4.div(sum, total));
  }
}

/**
 * How each of `n` candidates fared in {@link fuse}, per cell of 8 x 8 px of the active tiles (16 x 16 px) of one row of
 * `cols` tiles. Three f32 per candidate and cell (2·cols x 2 of them) at out: px that it shows; of these, those whose
 * weights of all candidates together reach `witnesses`; the sum of its final weights there, as a share of its own.
 */
export function judgeCells(
  usable: usize, weights: usize, step: usize, n: i32, params: usize, support: usize, share: usize, witnesses: f32,
  active: usize, cols: i32, out: usize,
): void {
  const w = cols * 16;
  const least = f32x4.splat(witnesses);
  const none = f32x4.splat(0);
  for (let k = 0; k < n; k++) {
    const seen = usable + <usize>k * (step >> 2);
    const final = weights + <usize>k * step;
    const own = max<f32>(load<f32>(params + <usize>k * 12, 8), 1e-9);
    for (let c = 0; c < cols; c++) {
      if (load<u8>(active + <usize>c) == 0) continue;
      for (let cell = 0; cell < 4; cell++) {
        let shown = i32x4.splat(0);
        let told = i32x4.splat(0);
        let sum = none;
        for (let y = cell >> 1 << 3; y < (cell >> 1 << 3) + 8; y++) {
          for (let x = 0; x < 8; x += 4) {
            const i = <usize>(y * w + c * 16 + (cell & 1) * 8 + x);
            const o = i << 2;
            const use = i32x4.extend_low_i16x8_u(i16x8.extend_low_i8x16_u(v128.load32_zero(seen + i)));
            const part = v128.load(share + o);
            const enough = v128.and(
              f32x4.gt(part, none),
              f32x4.ge(v128.load(support + o), f32x4.mul(least, part)),
            );
            shown = i32x4.add(shown, use);
            told = i32x4.add(told, v128.and(use, enough));
            // What a candidate does not show has no weight.
            sum = f32x4.add(sum, v128.and(v128.load(final + o), enough));
          }
        }
        const at = out + (<usize>((k * 2 + (cell >> 1)) * cols * 2 + c * 2 + (cell & 1)) * 12);
        store<f32>(at, <f32>lanes(shown));
        store<f32>(at, <f32>lanes(told), 4);
        store<f32>(at, laneSum(sum) / own, 8);
      }
    }
  }
}

// @ts-ignore: decorator
@inline
function lanes(v: v128): i32 {
  return i32x4.extract_lane(v, 0) + i32x4.extract_lane(v, 1) + i32x4.extract_lane(v, 2) + i32x4.extract_lane(v, 3);
}

// @ts-ignore: decorator
@inline
function laneSum(v: v128): f32 {
  return f32x4.extract_lane(v, 0) + f32x4.extract_lane(v, 1) + f32x4.extract_lane(v, 2) + f32x4.extract_lane(v, 3);
}
