import { snap, type FrameFormat } from '../image/format.ts';
import { UNSEEN_SUPPORT } from './complete.ts';
import type { Gathered } from './gathered.ts';
import type { Plate } from './plate.ts';
import { TILE } from './region.ts';
import { bytesOf, wordsOf } from '../image/mapped.ts';

/** Px at the edge of what a plate knows that a cubic would mix with what it does not. */
const EDGE = 2;

/** What other frames show of a whole frame, as a plate that knows only what was seen. */
export function stillOf({ region, planes, support }: Gathered, format: FrameFormat): Plate {
  const scale = 2 ** (16 - format.depth);
  const { rect, frame } = region;
  return {
    frame,
    rect,
    planes: planes.map((p) => wordsOf(p, (v) => Math.min(65535, Math.max(0, Math.round(v * scale))))),
    known: withoutEdge(
      bytesOf(support, (s) => (s > UNSEEN_SUPPORT ? 1 : 0)),
      rect.width,
      rect.height,
    ),
  };
}

/** A mask less what lies within {@link EDGE} px of its outside; beyond the picture counts as inside. */
export function withoutEdge(mask: Uint8Array, width: number, height: number): Uint8Array {
  const rows = eroded(mask, width, height, 1, width);
  return eroded(rows, height, width, width, 1);
}

/** Along one axis: `n` px `step` apart, in `lines` lines `lineStep` apart. */
function eroded(mask: Uint8Array, n: number, lines: number, step: number, lineStep: number): Uint8Array {
  const out = mask.slice();
  for (let line = 0; line < lines; line++) {
    for (let i = 0; i < n; i++) {
      const at = line * lineStep + i * step;
      if (mask[at] === 1) continue;
      for (let k = Math.max(0, i - EDGE); k <= Math.min(n - 1, i + EDGE); k++) out[line * lineStep + k * step] = 0;
    }
  }
  return out;
}

/** A plate for frames that are smaller by a whole factor: means of what is known. */
export function shrunk<P extends Omit<Plate, 'frame'>>(plate: P, small: FrameFormat, factor: number): P {
  const rect = snap({ x: 0, y: 0, width: small.width, height: small.height }, TILE);
  const known = new Uint8Array(rect.width * rect.height);
  const source = plate.known;
  const knows = (x: number, y: number): boolean =>
    x < plate.rect.width && y < plate.rect.height && (source ? source[y * plate.rect.width + x] === 1 : true);
  for (let y = 0, i = 0; y < rect.height; y++) {
    for (let x = 0; x < rect.width; x++, i++) {
      let all = true;
      for (let b = 0; all && b < factor; b++) {
        for (let a = 0; all && a < factor; a++) all = knows(x * factor + a, y * factor + b);
      }
      known[i] = all ? 1 : 0;
    }
  }
  const planes = plate.planes.map((samples, plane) => {
    const { stepX, stepY } = small.planes[plane];
    const [from, to] = [plate.rect.width / stepX, rect.width / stepX];
    const rows = plate.rect.height / stepY;
    const out = new Uint16Array((rect.width / stepX) * (rect.height / stepY));
    for (let i = 0; i < out.length; i++) {
      const [x, y] = [(i % to) * factor, Math.floor(i / to) * factor];
      let [sum, n] = [0, 0];
      for (let b = y; b < Math.min(rows, y + factor); b++) {
        for (let a = x; a < Math.min(from, x + factor); a++, n++) sum += samples[b * from + a];
      }
      out[i] = n > 0 ? Math.round(sum / n) : 0;
    }
    return out;
  });
  return { ...plate, rect, planes, known };
}
