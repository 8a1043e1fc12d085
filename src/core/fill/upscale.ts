import type { Kernels } from '../../kernels/index.ts';
import { maxSample, snap, type FrameFormat, type Rect } from '../image/format.ts';
import type { Patch } from './finish.ts';

/**
 * A draft's patch at full size, bicubic. The small frame's sample (i, j) is the mean of factor² samples around
 * ((i, j) + ½)·factor − ½ of the full frame. Only samples under or next to the small matte `alpha` are written.
 */
export function upscalePatch(
  kernels: Kernels,
  patch: Patch,
  alpha: Uint8Array,
  full: FrameFormat,
  factor: number,
): Patch {
  const part = partWithMatte(alpha, patch.rect.width, patch.rect.height);
  const big = {
    x: (patch.rect.x + part.x) * factor,
    y: (patch.rect.y + part.y) * factor,
    width: part.width * factor,
    height: part.height * factor,
  };
  const most = maxSample(full);
  const planes = patch.planes.map((samples, plane) => {
    const { stepX, stepY } = full.planes[plane];
    const stride = patch.rect.width / stepX;
    const [w, h] = [part.width / stepX, part.height / stepY];
    const [ow, oh] = [w * factor, h * factor];
    return kernels.scoped(() => {
      const out = kernels.alloc(ow * oh * 4);
      const map = kernels.put(cornerMap(part.x / stepX, part.y / stepY, w, h, factor));
      const active = kernels.put(under(alpha, patch.rect.width, part, w, h, stepX, stepY));
      const source = kernels.put(samples);
      kernels.run.warpTiles(source, stride, stride, samples.length / stride, map, w, h, factor, active, out, ow);
      const rounded = kernels.alloc(ow * oh * 2);
      kernels.run.roundSamples(out, ow * oh, 1, most, rounded);
      return kernels.u16(rounded, ow * oh).slice();
    });
  });
  return { frame: patch.frame, rect: big, planes, hole: patch.hole * factor ** 2, unseen: patch.unseen * factor ** 2 };
}

/** Smallest part of a region that holds its matte, in whole chroma samples. */
function partWithMatte(alpha: Uint8Array, width: number, height: number): Rect {
  let [x0, y0, x1, y1] = [width, height, -1, -1];
  for (let y = 0, i = 0; y < height; y++) {
    for (let x = 0; x < width; x++, i++) {
      if (alpha[i] === 0) continue;
      if (x < x0) x0 = x;
      if (x > x1) x1 = x;
      if (y < y0) y0 = y;
      y1 = y;
    }
  }
  if (y1 < 0) return { x: 0, y: 0, width: 0, height: 0 };
  return snap({ x: x0, y: y0, width: x1 - x0 + 1, height: y1 - y0 + 1 }, 4);
}

/** Samples of a plane's part with matte under them. */
function under(
  alpha: Uint8Array,
  width: number,
  part: Rect,
  w: number,
  h: number,
  stepX: number,
  stepY: number,
): Uint8Array {
  const out = new Uint8Array(w * h);
  for (let y = 0; y < part.height; y++) {
    const row = (part.y + y) * width + part.x;
    const to = Math.floor(y / stepY) * w;
    for (let x = 0; x < part.width; x++) if (alpha[row + x] > 0) out[to + Math.floor(x / stepX)] = 1;
  }
  return out;
}

/** Tile corners: tile (c, r) covers factor² samples of the large picture, one of the small part at (x, y). */
function cornerMap(x: number, y: number, w: number, h: number, factor: number): Float32Array {
  const out = new Float32Array((w + 1) * (h + 1) * 2);
  const shift = 0.5 / factor - 0.5;
  for (let r = 0, i = 0; r <= h; r++) {
    for (let c = 0; c <= w; c++, i += 2) {
      out[i] = x + c + shift;
      out[i + 1] = y + r + shift;
    }
  }
  return out;
}
