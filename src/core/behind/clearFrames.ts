import { SlotCache } from '../image/lru.ts';
import type { CameraMotion } from '../motion/cameraMotion.ts';
import type { MaskPatch } from '../movers/maskPatch.ts';
import type { Moving } from '../movers/segment.ts';
import type { Body } from './align.ts';
import { CHANNELS, type Looks } from './looks.ts';

/** Frames that are held. */
const SLOTS = 160;
/** Frames that show what is behind a body: so many at most, so far apart, within so many. */
const MOST = 6;
const APART = 4;
const WITHIN = 90;
/** So many of those that show all of it are enough. */
const ENOUGH = 4;
/** Every so-manieth px of a body is asked for. */
const EVERY = 3;
/** Share of these that something may hide. */
const HIDDEN = 0.05;

/** Of these so many are compared with a body, and two px that differ by less than so many levels of 8 bits, in all, are alike. */
const COMPARED = 2;
const ALIKE = 16;

/** Tells which frames show what is behind a body: there nothing that moves is in its place, and no matte. */
export class ClearFrames {
  private readonly taken: SlotCache<Uint8Array>;

  /** @param moving - What moves, of every frame. */
  constructor(
    moving: readonly Moving[],
    private readonly looks: Looks,
    private readonly motion: CameraMotion,
  ) {
    const { width, height } = looks;
    const slots = Array.from({ length: Math.min(SLOTS, moving.length) }, () => new Uint8Array(width * height));
    this.taken = new SlotCache<Uint8Array>(slots, (t, into) => {
      into.set(looks.hidden(t));
      for (const patch of [...moving[t].regions, ...moving[t].loose]) draw(patch, width, into);
    });
  }

  /** The nearest frames that show what is behind a body; those that show most of it, if none shows all. */
  around(frame: number, mask: MaskPatch): number[] {
    const { motion } = this;
    const places = placesOf(mask);
    const found: { t: number; share: number }[] = [];
    let clear = 0;
    for (let d = APART; d <= WITHIN && clear < MOST; d += APART) {
      for (const t of [frame - d, frame + d]) {
        if (t < 0 || t >= motion.data.count || !motion.sameScene(frame, t)) continue;
        const share = this.hiddenShare(frame, t, places);
        found.push({ t, share });
        if (share <= HIDDEN) clear++;
      }
    }
    if (clear >= ENOUGH) return found.filter((f) => f.share <= HIDDEN).map(({ t }) => t);
    return found
      .sort((a, b) => a.share - b.share)
      .slice(0, MOST)
      .map(({ t }) => t);
  }

  /** Which share of a body looks like what is behind it. */
  blendsIn(frame: number, { mask, places, values }: Body): number {
    const others = this.around(frame, mask).slice(0, COMPARED);
    if (others.length === 0) return 0;
    const { width, height } = this.looks;
    const alike = others.map((t) => {
      const samples = this.looks.samples(t);
      const there = Float64Array.from(places);
      this.motion.map(frame, t, there);
      let n = 0;
      for (let i = 0, k = 0; i < there.length; i += 2, k += CHANNELS) {
        const [x, y] = [Math.round(there[i]), Math.round(there[i + 1])];
        if (x < 0 || y < 0 || x >= width || y >= height) continue;
        const j = (y * width + x) * CHANNELS;
        let unlike = 0;
        for (let c = 0; c < CHANNELS; c++) unlike += Math.abs(values[k + c] - samples[j + c]);
        if (unlike < ALIKE) n++;
      }
      return (2 * n) / there.length;
    });
    return Math.min(...alike);
  }

  private hiddenShare(from: number, to: number, places: Float64Array): number {
    const { width, height } = this.looks;
    const taken = this.taken.get(to);
    const there = places.slice();
    this.motion.map(from, to, there);
    let hidden = 0;
    for (let i = 0; i < there.length; i += 2) {
      const [x, y] = [Math.round(there[i]), Math.round(there[i + 1])];
      if (x < 0 || y < 0 || x >= width || y >= height || taken[y * width + x] > 0) hidden++;
    }
    return (2 * hidden) / there.length;
  }
}

function draw({ x, y, width, height, data }: MaskPatch, across: number, into: Uint8Array): void {
  for (let v = 0; v < height; v++) {
    for (let u = 0; u < width; u++) if (data[v * width + u] > 0) into[(y + v) * across + x + u] = 1;
  }
}

function placesOf({ x, y, width, height, data }: MaskPatch): Float64Array {
  const out: number[] = [];
  for (let v = 0; v < height; v += EVERY) {
    for (let u = 0; u < width; u += EVERY) if (data[v * width + u] > 0) out.push(x + u, y + v);
  }
  return Float64Array.from(out);
}
