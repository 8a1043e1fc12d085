/** Px that hang together (by edges or corners), each group as indices. */
export function components(mask: Uint8Array, w: number, h: number): number[][] {
  const seen = new Uint8Array(w * h);
  const out: number[][] = [];
  for (let start = 0; start < mask.length; start++) {
    if (!mask[start] || seen[start]) continue;
    seen[start] = 1;
    const group = [start];
    // The group grows while it is gone through.
    for (const one of group) {
      const [x, y] = [one % w, Math.floor(one / w)];
      for (let v = Math.max(0, y - 1); v <= Math.min(h - 1, y + 1); v++) {
        for (let u = Math.max(0, x - 1); u <= Math.min(w - 1, x + 1); u++) {
          const i = v * w + u;
          if (!mask[i] || seen[i]) continue;
          seen[i] = 1;
          group.push(i);
        }
      }
    }
    out.push(group);
  }
  return out;
}
