import { around, type Rect } from '../image/format.ts';
import { areaOf, common, grown, maskIn, trimmed, type MaskPatch } from './maskPatch.ts';
import type { Evidence } from './evidence.ts';
import type { Mover } from './movers.ts';
import { components } from '../image/components.ts';
import { shadeOf } from './shade.ts';

/** From here on a px counts as ground in less light. */
const SHADED = 0.5;
/** Strips of body between shade, and of shade within the body, up to twice this wide are taken for what is around them, px. */
const SPECK_PX = 1;
/** A part that hangs loose of the largest and is smaller than this share of it is left with the shadow. */
const LOOSE = 0.25;

/** What of a frame is ground in less light, from {@link shadeIn}. */
export type ShadeAt = (frame: number) => MaskPatch;

/** What of a frame's moving regions is ground in less light. */
export function shadeIn(
  evidence: Evidence,
  { width, height }: { width: number; height: number },
  regions: readonly MaskPatch[],
): MaskPatch {
  const none: Rect = { x: 0, y: 0, width: 0, height: 0 };
  const rect = regions.reduce<Rect>((r, m) => around(r, m), none);
  if (rect.width === 0) return { ...none, data: new Uint8Array(0) };
  const shade = shadeOf(evidence, width, height, rect);
  const data = new Uint8Array(rect.width * rect.height);
  for (let v = 0; v < rect.height; v++) {
    const row = (rect.y + v) * width + rect.x;
    for (let u = 0; u < rect.width; u++) data[v * rect.width + u] = shade[row + u] > SHADED ? 1 : 0;
  }
  return trimmed({ ...rect, data });
}

/** A mover without its shadow. @param shades - Per frame of the footage, from {@link shadeIn}. */
export const bodyOf = ({ first, masks }: Mover, shades: readonly MaskPatch[]): MaskPatch[] =>
  masks.map((mask, k) => withoutShade(mask, shades[first + k]));

/** A mask without the shade in it; all of it if nothing else is left. */
export function withoutShade(mask: MaskPatch, shade: MaskPatch): MaskPatch {
  const both = common(mask, shade);
  if (areaOf(both) === 0) return mask;
  const lit = minus(mask, opened(both));
  const body = largestParts(opened(lit));
  return areaOf(body) === 0 ? mask : trimmed(body);
}

function minus(a: MaskPatch, b: MaskPatch): MaskPatch {
  const other = maskIn(b, a);
  return { ...a, data: a.data.map((v, i) => v & (other[i] ^ 1)) };
}

/** Without what is narrower than a speck on all sides (erosion, then dilation, by a square). */
function opened(p: MaskPatch): MaskPatch {
  const { width, height } = p;
  const data = new Uint8Array(p.data.length);
  for (let y = SPECK_PX; y < height - SPECK_PX; y++) {
    for (let x = SPECK_PX; x < width - SPECK_PX; x++) if (isAllIn(p, x, y, SPECK_PX)) data[y * width + x] = 1;
  }
  return common(grown({ ...p, data }, SPECK_PX), p);
}

/** Whether all of a square around a px of a patch is in it, numbers of its column and row. */
function isAllIn({ width, data }: MaskPatch, x: number, y: number, r: number): boolean {
  for (let v = y - r; v <= y + r; v++) {
    for (let i = v * width + x - r; i <= v * width + x + r; i++) if (data[i] === 0) return false;
  }
  return true;
}

/** The part that hangs together and is largest, and others that are not much smaller. */
function largestParts(p: MaskPatch): MaskPatch {
  const parts = components(p.data, p.width, p.height);
  const least = LOOSE * Math.max(0, ...parts.map((part) => part.length));
  const data = new Uint8Array(p.data.length);
  for (const part of parts) if (part.length >= least) for (const i of part) data[i] = 1;
  return { ...p, data };
}
