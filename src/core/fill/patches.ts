/**
 * A picture with missing pixels: four f32 a pixel, and bytes that are 1 where it is missing. Of the four the first three
 * are colour; the last is texture in patch fills.
 */
export interface Incomplete {
  width: number;
  height: number;
  colour: Float32Array;
  missing: Uint8Array;
}

/** Half the side of a patch, as in the kernels. */
export const PATCH_REACH = 3;

export interface PatchSets {
  /** Patches that touch something missing. */
  target: Uint8Array;
  /** Patches that are wholly known. */
  source: Uint8Array;
}

export function patchSets({ width: w, height: h, missing }: Incomplete): PatchSets {
  const target = new Uint8Array(w * h);
  const source = new Uint8Array(w * h);
  const R = PATCH_REACH;
  for (let y = R; y < h - R; y++) {
    for (let x = R; x < w - R; x++) {
      let any = 0;
      for (let j = -R; j <= R && !any; j++) {
        for (let i = -R; i <= R; i++) any |= missing[(y + j) * w + x + i];
      }
      if (any) target[y * w + x] = 1;
      else source[y * w + x] = 1;
    }
  }
  return { target, source };
}

/** For each pixel one of the patches that may be taken, by chance. */
export function randomField(source: Uint8Array, seed: number): Int32Array {
  const all: number[] = [];
  source.forEach((s, i) => s === 1 && all.push(i));
  let state = (Math.imul(seed, 2654435761) | 1) >>> 0;
  return Int32Array.from({ length: source.length }, () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return all[Math.floor((state / 4294967296) * all.length)];
  });
}

/** Squared difference of two pixels' colours, levels. */
export function colourDifference(colour: Float32Array, i: number, j: number): number {
  const a = colour[4 * i] - colour[4 * j];
  const b = colour[4 * i + 1] - colour[4 * j + 1];
  const c = colour[4 * i + 2] - colour[4 * j + 2];
  return a * a + b * b + c * c;
}

/** The known pixels of a patch. */
export function knownAround({ width, missing }: Incomplete, pixel: number): number[] {
  const out: number[] = [];
  for (let b = -PATCH_REACH; b <= PATCH_REACH; b++) {
    for (let a = -PATCH_REACH; a <= PATCH_REACH; a++) {
      const i = pixel + b * width + a;
      if (missing[i] === 0) out.push(i);
    }
  }
  return out;
}

/** Where a shift leads a patch; −1 if no patch may be taken there. */
export function shifted(
  { width: w, height: h }: Incomplete,
  source: Uint8Array,
  i: number,
  dx: number,
  dy: number,
): number {
  const [x, y] = [(i % w) + dx, Math.floor(i / w) + dy];
  return x >= 0 && y >= 0 && x < w && y < h && source[y * w + x] === 1 ? y * w + x : -1;
}
