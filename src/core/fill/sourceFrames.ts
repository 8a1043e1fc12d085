import type { Kernels } from '../../kernels/index.ts';
import {
  bytesPerSample,
  grow,
  intersect,
  snap,
  type FrameFormat,
  type FrameReader,
  type PlaneFormat,
  type Rect,
} from '../image/format.ts';
import { SlotCache } from '../image/lru.ts';
import { readBlocked, TAINT_PX } from '../image/matteCells.ts';

/** Part of a frame in kernel memory: 16-bit planes, and bytes that are not 0 where it must not be used. */
export interface SourceFrame {
  /** Place of the loaded part in the frame, luma px; corner and size even. */
  rect: Rect;
  planes: number[];
  blocked: number;
}

/** A rectangle of luma px in samples of a plane; its corner is a multiple of the plane's steps. */
export function planePart(rect: Rect, { stepX, stepY }: PlaneFormat): Rect {
  return {
    x: rect.x / stepX,
    y: rect.y / stepY,
    width: Math.ceil(rect.width / stepX),
    height: Math.ceil(rect.height / stepY),
  };
}

/** The part of a frame that holds some places and what is around them. @param places - Interleaved x, y, frame px. @param margin - Px. */
export function partAround(places: ArrayLike<number>, margin: number, format: FrameFormat): Rect {
  let [x0, y0, x1, y1] = [Infinity, Infinity, -Infinity, -Infinity];
  for (let k = 0; k < places.length; k += 2) {
    [x0, x1] = [Math.min(x0, places[k]), Math.max(x1, places[k])];
    [y0, y1] = [Math.min(y0, places[k + 1]), Math.max(y1, places[k + 1])];
  }
  const [x, y] = [Math.floor(x0), Math.floor(y0)];
  const box = { x, y, width: Math.ceil(x1) - x, height: Math.ceil(y1) - y };
  const frame = { x: 0, y: 0, width: format.width, height: format.height };
  const step = Math.max(...format.planes.flatMap((p) => [p.stepX, p.stepY]));
  const rect = intersect(snap(grow(box, margin), step), frame);
  if (rect.width >= 16 && rect.height >= 16) return rect;
  // Nothing of it is in view: any small part of the frame keeps the arithmetic defined.
  return { x: 0, y: 0, width: Math.min(16, format.width), height: Math.min(16, format.height) };
}

/** Loads parts of frames into kernel memory, as many at a time as `budget` bytes allow. */
export class SourceFrames {
  private readonly cache: SlotCache<SourceFrame>;

  /** @param rects - Part needed of each frame that will be asked for. */
  constructor(
    private readonly kernels: Kernels,
    private readonly frames: FrameReader,
    private readonly mattes: FrameReader,
    private readonly rects: ReadonlyMap<number, Rect>,
    budget: number,
    /** How near to a matte nothing is used, px. */
    private readonly taint = TAINT_PX,
  ) {
    const area = Math.max(1, ...[...rects.values()].map((r) => r.width * r.height));
    const { format } = frames;
    const planeBytes = format.planes.slice(0, format.colourPlanes).map((p) => {
      const samples = [...rects.values()].map((r) => planePart(r, p)).map((r) => r.width * r.height * 2);
      return Math.max(2, ...samples);
    });
    const slotBytes = planeBytes.reduce((a, b) => a + b, area);
    const slots = Math.max(2, Math.min(rects.size, Math.floor(budget / slotBytes)));
    const make = (): SourceFrame => ({
      rect: { x: 0, y: 0, width: 0, height: 0 },
      planes: planeBytes.map((n) => kernels.alloc(n)),
      blocked: kernels.alloc(area),
    });
    this.cache = new SlotCache(Array.from({ length: slots }, make), (frame, slot) => this.load(frame, slot));
  }

  get(frame: number): SourceFrame {
    return this.cache.get(frame);
  }

  private load(frame: number, slot: SourceFrame): void {
    const rect = this.rects.get(frame);
    if (!rect) throw new RangeError(`frame ${frame} was not announced`);
    slot.rect = rect;
    slot.planes.forEach((at, plane) => this.loadPlane(frame, plane, rect, at));
    this.loadBlocked(frame, rect, slot.blocked);
  }

  private loadPlane(frame: number, plane: number, rect: Rect, out: number): void {
    const { kernels, frames } = this;
    const { width } = frames.format.planes[plane];
    const { x, y, width: w, height: h } = planePart(rect, frames.format.planes[plane]);
    const bytes = bytesPerSample(frames.format);
    kernels.scoped(() => {
      const raw = kernels.alloc(width * h * bytes);
      frames.readRows(frame, plane, y, h, kernels.u8(raw, width * h * bytes));
      for (let r = 0; r < h; r++) {
        const from = raw + (r * width + x) * bytes;
        const to = out + r * w * 2;
        if (bytes === 1) kernels.run.widenBytes(from, to, w);
        else kernels.u8(to, w * 2).set(kernels.u8(from, w * 2));
      }
    });
  }

  private loadBlocked(frame: number, rect: Rect, out: number): void {
    const { kernels, mattes } = this;
    const { width } = mattes.format;
    const n = rect.width * rect.height;
    kernels.scoped(() => {
      const raw = kernels.alloc(width * rect.height);
      readBlocked(mattes, frame, rect.y, rect.height, kernels.u8(raw, width * rect.height));
      const crop = kernels.alloc(n);
      let any = false;
      for (let r = 0; r < rect.height; r++) {
        const row = kernels.u8(raw + r * width + rect.x, rect.width);
        any ||= holdsAny(row);
        kernels.u8(crop + r * rect.width, rect.width).set(row);
      }
      if (any) kernels.run.dilate(crop, rect.width, rect.height, this.taint, out, kernels.alloc(n));
      else kernels.u8(out, n).fill(0);
    });
  }
}

function holdsAny(bytes: Uint8Array): boolean {
  for (const byte of bytes) if (byte !== 0) return true;
  return false;
}
