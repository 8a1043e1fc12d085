import type { Patch } from '../core/fill/finish.ts';
import { planePart } from '../core/fill/sourceFrames.ts';
import type { FrameFormat, FrameReader, PlaneFormat, Rect } from '../core/image/format.ts';

/** The matte of one plane's part of a frame. */
export interface PlaneMatte {
  /** Per sample of the part, row after row: 0 .. full. */
  sums: Uint16Array;
  full: number;
}

/** The matte of the part of a frame that a patch lies on, 0..255 per luma px: 0 where the frame stays as it is. */
export function matteUnder({ frame, rect, stays }: Patch, mattes: FrameReader, place: Rect): Uint8Array {
  const { width } = mattes.format;
  const rows = new Uint8Array(width * place.height);
  mattes.readRows(frame, 0, place.y, place.height, rows);
  const out = new Uint8Array(place.width * place.height);
  for (let y = 0; y < place.height; y++) {
    out.set(rows.subarray(y * width + place.x, y * width + place.x + place.width), y * place.width);
  }
  if (!stays) return out;
  for (let y = 0, i = 0; y < place.height; y++) {
    const row = (place.y - rect.y + y) * rect.width + place.x - rect.x;
    for (let x = 0; x < place.width; x++, i++) if (stays[row + x] > 0) out[i] = 0;
  }
  return out;
}

/** The matte of a part of a frame for each of its planes; planes that are sampled alike share one. */
export function planeMattes(alpha: Uint8Array, place: Rect, format: FrameFormat): PlaneMatte[] {
  const made = new Map<string, PlaneMatte>();
  return format.planes.map((p) => {
    const key = `${p.stepX}/${p.stepY}`;
    const known = made.get(key) ?? planeMatte(alpha, place, p);
    made.set(key, known);
    return known;
  });
}

function planeMatte(alpha: Uint8Array, place: Rect, p: PlaneFormat): PlaneMatte {
  const { stepX, stepY } = p;
  const full = 255 * stepX * stepY;
  if (stepX * stepY === 1) return { sums: new Uint16Array(alpha), full };
  const { width, height } = planePart(place, p);
  const sums = new Uint16Array(width * height);
  for (let y = 0; y < height; y++) {
    for (let b = 0; b < stepY; b++) {
      const row = Math.min(y * stepY + b, place.height - 1) * place.width;
      addRow(sums, y * width, width, alpha.subarray(row, row + place.width), stepX);
    }
  }
  return { sums, full };
}

/** Adds a row of luma px to the samples that lie over them; the last px stands for those beyond it. */
function addRow(sums: Uint16Array, at: number, n: number, row: Uint8Array, step: number): void {
  const whole = Math.floor(row.length / step);
  for (let x = 0, i = 0; x < whole; x++) for (let a = 0; a < step; a++, i++) sums[at + x] += row[i];
  for (let x = whole; x < n; x++) {
    for (let i = x * step; i < (x + 1) * step; i++) sums[at + x] += row[Math.min(i, row.length - 1)];
  }
}
