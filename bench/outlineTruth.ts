import { Renderer } from '../demo/renderer.ts';
import { Truth, type Shot } from '../demo/shot.ts';
import type { Point } from '../src/core/geometry/homography.ts';
import { grow, intersect, type Rect } from '../src/core/image/format.ts';
import { areaOf, at, trimmed, type MaskPatch } from '../src/core/movers/maskPatch.ts';

/** Grid on which a body is looked for before it is drawn to the px, px. */
const GRID = 8;
/** A body smaller than this share of the frame is not judged. */
const LEAST_AREA = 0.001;
/** Depth of an error is measured on every second px. */
const STEP = 2;

/** A body in a frame: all that is seen of it, and whether another one is close. */
export interface SeenBody {
  name: string;
  mask: MaskPatch;
  crowded: boolean;
}

/** Where the walkers, vehicles and objects of a shot truly are. */
export class Bodies {
  private constructor(
    private readonly shot: Shot,
    private readonly truth: Truth,
  ) {}

  static async of(shot: Shot): Promise<Bodies> {
    const renderer = await Renderer.create(shot.lens);
    return new Bodies(shot, new Truth(renderer, shot, shot.build(renderer)));
  }

  /** Those that are large enough to be judged. */
  in(frame: number): SeenBody[] {
    const { width, height } = this.shot.lens;
    const seen = [...this.truth.bodies(frame)].map(([name, covers]) => ({ name, mask: this.draw(covers) }));
    const large = seen.filter(({ mask }) => areaOf(mask) >= LEAST_AREA * width * height);
    return large.map((body) => ({
      ...body,
      crowded: seen.some((other) => other.name !== body.name && meet(grow(body.mask, 10), other.mask)),
    }));
  }

  private draw(covers: (x: number, y: number) => boolean): MaskPatch {
    const { width, height } = this.shot.lens;
    let [left, top, right, bottom] = [width, height, -1, -1];
    for (let y = 0; y < height; y += GRID) {
      for (let x = 0; x < width; x += GRID) {
        if (!covers(x, y)) continue;
        [left, right] = [Math.min(left, x), Math.max(right, x)];
        [top, bottom] = [Math.min(top, y), Math.max(bottom, y)];
      }
    }
    const whole = { x: 0, y: 0, width, height };
    const box = { x: left, y: top, width: Math.max(0, right - left + 1), height: Math.max(0, bottom - top + 1) };
    const part = right < 0 ? { x: 0, y: 0, width: 0, height: 0 } : intersect(grow(box, 2 * GRID), whole);
    const data = new Uint8Array(part.width * part.height);
    for (let i = 0; i < data.length; i++) {
      data[i] = covers(part.x + (i % part.width), part.y + Math.floor(i / part.width)) ? 1 : 0;
    }
    return trimmed({ ...part, data });
  }
}

function meet(a: Rect, b: Rect): boolean {
  const both = intersect(a, b);
  return both.width > 0 && both.height > 0;
}

/** The place deepest inside of what is wrong: on the thing and left out (`add`), or taken in and not of it. */
export function worstPlace(
  found: MaskPatch,
  truth: MaskPatch,
  size: { width: number; height: number },
): Point & { add: boolean } {
  const [w, h] = [Math.floor(size.width / STEP), Math.floor(size.height / STEP)];
  let best = { x: 0, y: 0, add: true, depth: 0 };
  for (const add of [true, false]) {
    const depth = new Int32Array(w * h);
    const [has, lacks] = add ? [truth, found] : [found, truth];
    for (let i = w + 1; i < depth.length - w - 1; i++) {
      const [x, y] = [(i % w) * STEP, Math.floor(i / w) * STEP];
      const wrong = at(has, x, y) === 1 && at(lacks, x, y) === 0;
      if (wrong) depth[i] = 1 + Math.min(depth[i - 1], depth[i - w - 1], depth[i - w], depth[i - w + 1]);
    }
    for (let i = depth.length - w - 2; i > w; i--) {
      if (depth[i] === 0) continue;
      depth[i] = Math.min(depth[i], 1 + Math.min(depth[i + 1], depth[i + w + 1], depth[i + w], depth[i + w - 1]));
      if (depth[i] > best.depth) best = { x: (i % w) * STEP, y: Math.floor(i / w) * STEP, add, depth: depth[i] };
    }
  }
  return best;
}
