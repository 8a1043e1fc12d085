/** Frames that are asked what a shot is like, and the share of them that must say so. */
export const PROBES = 8;
const SHARE = 0.2;

/** Whether so many of the frames asked tell something of the shot. */
export const areSome = (told: number, of: number): boolean => told > 0 && told >= of * SHARE;
