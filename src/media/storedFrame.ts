/** A gathered frame as it is kept between gathering and finishing. */
export interface StoredFrame {
  frame: number;
  /** Fused samples scaled to 16 bit. */
  planes: Uint16Array[];
  /** Support in sixteenths, at most 255. */
  support: Uint8Array;
}

/** @param depth - Bits of a sample. */
export function packFrame(planes: Float32Array[], support: Float32Array, frame: number, depth: number): StoredFrame {
  const scale = 2 ** (16 - depth);
  const packed = new Uint8Array(support.length);
  // Anything seen at all stays above 0.
  for (let i = 0; i < packed.length; i++) packed[i] = support[i] > 0 ? Math.min(255, Math.max(1, support[i] * 16)) : 0;
  return {
    frame,
    planes: planes.map((p) => {
      const out = new Uint16Array(p.length);
      for (let i = 0; i < out.length; i++) out[i] = Math.min(65535, Math.max(0, p[i] * scale + 0.5));
      return out;
    }),
    support: packed,
  };
}

/** The way back of {@link packFrame}. */
export function unpackFrame(stored: StoredFrame, depth: number): { planes: Float32Array[]; support: Float32Array } {
  const scaled = (values: Uint16Array | Uint8Array, factor: number): Float32Array => {
    const out = new Float32Array(values.length);
    for (let i = 0; i < out.length; i++) out[i] = values[i] * factor;
    return out;
  };
  return {
    planes: stored.planes.map((p) => scaled(p, 2 ** (depth - 16))),
    support: scaled(stored.support, 1 / 16),
  };
}
