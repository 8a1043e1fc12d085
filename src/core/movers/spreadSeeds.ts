/** Px that a seed spreads by, as a share of its own width (the root of its area); least and most, px. */
const SPREAD_SHARE = 1.2;
const LEAST_SPREAD = 3;
const MOST_SPREAD = 40;
/** Seeds that lie no more than this apart in the mask are parts of one thing, px. */
const JOIN_PX = 8;

const NOBODY = -1;

/**
 * Parts of a mask that hang together with seeds in it: each px goes to the seed that is nearest by a way within the mask, as far as
 * that seed spreads. What lies nearer to another than JOIN_PX is one part with it.
 * @param seeds - Indices of px of the mask, each a group.
 */
export function spreadSeeds(mask: Uint8Array, seeds: readonly (readonly number[])[], w: number, h: number): number[][] {
  const owner = new Int16Array(w * h).fill(NOBODY);
  const steps = new Uint8Array(w * h);
  const reach = seeds.map((px) => Math.min(MOST_SPREAD, Math.max(LEAST_SPREAD, SPREAD_SHARE * Math.sqrt(px.length))));
  const joined = seeds.map((_, k) => k);
  const rootOf = (k: number): number => {
    while (joined[k] !== k) k = joined[k];
    return k;
  };
  const front: number[] = [];
  seeds.forEach((px, k) => {
    for (const i of px) {
      owner[i] = k;
      front.push(i);
    }
  });
  // The front grows while it is gone through: all px of a distance come before those of the next.
  for (const i of front) {
    const own = owner[i];
    for (const j of beside(i, w, h)) {
      if (!mask[j]) continue;
      if (owner[j] === NOBODY) {
        if (steps[i] >= reach[own]) continue;
        owner[j] = own;
        steps[j] = steps[i] + 1;
        front.push(j);
      } else if (owner[j] !== own && steps[i] + steps[j] < JOIN_PX) joined[rootOf(owner[j])] = rootOf(own);
    }
  }
  const parts = new Map<number, number[]>();
  for (const i of front) {
    const root = rootOf(owner[i]);
    const part = parts.get(root);
    if (part) part.push(i);
    else parts.set(root, [i]);
  }
  return [...parts.values()];
}

/** The px beside one, by edges. */
function beside(i: number, w: number, h: number): number[] {
  const x = i % w;
  const out: number[] = [];
  if (x > 0) out.push(i - 1);
  if (x < w - 1) out.push(i + 1);
  if (i >= w) out.push(i - w);
  if (i < (h - 1) * w) out.push(i + w);
  return out;
}
