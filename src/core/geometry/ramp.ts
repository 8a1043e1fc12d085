/** 0 up to `from`, 1 from `to` on, in proportion between them. */
export const ramp = (v: number, from: number, to: number): number => Math.max(0, Math.min(1, (v - from) / (to - from)));
