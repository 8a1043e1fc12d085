import { jacobian, type Matrix3, type Point } from '../geometry/homography.ts';
import { cubicAt, cubicWeights } from '../image/cubic.ts';
import { snap, type FrameFormat, type Rect } from '../image/format.ts';
import type { MaskPatch } from '../movers/maskPatch.ts';
import type { Body } from './align.ts';
import type { BodyLayer } from './cutBody.ts';

/** How a camera that rolls, nears or zooms turns and enlarges a picture around a point: what lies at pivot + v lies at pivot + (re + i·im)·v. */
export interface Turn {
  pivot: Point;
  re: number;
  im: number;
}

/** Px by which a turn moves the rim of a body at least, or it counts as none. */
const LEAST = 0.25;
/** How much larger or smaller a body can get: beside a plane's horizon there is no limit. */
const MOST = 3;
/** Luma px to which a turned layer is as wide and high as a multiple of. */
const STEP = 16;

/**
 * How a body is turned from one frame to another by the camera: what its background does both across and down. A background that is
 * seen aslant shears as the camera travels, which turns one of them alone; who walks before it stays upright.
 *
 * @returns undefined if it is hardly turned, or beyond belief.
 */
export function turnOf(
  map: Matrix3,
  pivot: Point,
  { width, height }: { width: number; height: number },
): Turn | undefined {
  const [xx, xy, yx, yy] = jacobian(map, pivot.x, pivot.y);
  const across = common(yx, -xy);
  const along = Math.sqrt(Math.max(0, xx * yy - xy * yx - across ** 2)) * (xx + yy < 0 ? -1 : 1);
  const [cos, sin] = [along, across].map((v) => v / (Math.hypot(along, across) || 1));
  // Without the turn only what is enlarged both ways is left.
  const scale = 1 + common(cos * xx + sin * yx - 1, cos * yy - sin * xy - 1);
  const [re, im] = [scale * cos, scale * sin];
  const moved = (Math.hypot(re - 1, im) * Math.hypot(width, height)) / 2;
  return moved >= LEAST && scale <= MOST && scale >= 1 / MOST ? { pivot, re, im } : undefined;
}

/** What two agree about. */
const common = (a: number, b: number): number => (a * b <= 0 ? 0 : Math.sign(a) * Math.min(Math.abs(a), Math.abs(b)));

const forth = ({ pivot, re, im }: Turn, x: number, y: number): Point => {
  const [u, v] = [x - pivot.x, y - pivot.y];
  return { x: pivot.x + re * u - im * v, y: pivot.y + im * u + re * v };
};

/** The turn back. */
export function inverse({ pivot, re, im }: Turn): Turn {
  const n = re * re + im * im;
  return { pivot, re: re / n, im: -im / n };
}

/** The same turn on frames that are larger by a factor; px have their middles at whole numbers. */
export const enlargedTurn = ({ pivot, ...by }: Turn, factor: number): Turn => ({
  ...by,
  pivot: { x: (pivot.x + 0.5) * factor - 0.5, y: (pivot.y + 0.5) * factor - 0.5 },
});

/** The smallest rectangle of whole px around a turned one. */
export function turnedRect({ x, y, width, height }: Rect, turn: Turn): Rect {
  const corners = [x, x + width - 1].flatMap((u) => [y, y + height - 1].map((v) => forth(turn, u, v)));
  const [xs, ys] = [corners.map((c) => c.x), corners.map((c) => c.y)];
  const [left, top] = [Math.floor(Math.min(...xs)), Math.floor(Math.min(...ys))];
  return {
    x: left,
    y: top,
    width: Math.ceil(Math.max(...xs)) + 1 - left,
    height: Math.ceil(Math.max(...ys)) + 1 - top,
  };
}

/** A body as it looks in a turned picture. @param turn - undefined if it is hardly turned. */
export function turnedBody(body: Body, turn: Turn | undefined): Body {
  if (!turn) return body;
  const places = body.places.slice();
  for (let i = 0; i < places.length; i += 2) {
    const { x, y } = forth(turn, places[i], places[i + 1]);
    [places[i], places[i + 1]] = [Math.round(x), Math.round(y)];
  }
  return { ...body, mask: turnedMask(body.mask, turn), places };
}

function turnedMask(mask: MaskPatch, turn: Turn): MaskPatch {
  const rect = turnedRect(mask, turn);
  const back = inverse(turn);
  const data = new Uint8Array(rect.width * rect.height);
  for (let y = 0, i = 0; y < rect.height; y++) {
    for (let x = 0; x < rect.width; x++, i++) {
      const from = forth(back, rect.x + x, rect.y + y);
      const [u, v] = [Math.round(from.x) - mask.x, Math.round(from.y) - mask.y];
      if (u >= 0 && v >= 0 && u < mask.width && v < mask.height) data[i] = mask.data[v * mask.width + u];
    }
  }
  return { ...rect, data };
}

/** A body's layer in a turned picture, sampled by cubic convolution. @param turn - In px of the frame. */
export function turnedLayer({ rect, planes }: BodyLayer, turn: Turn, format: FrameFormat): BodyLayer {
  const out = snap(turnedRect(rect, turn), STEP);
  const back = inverse(turn);
  return {
    rect: out,
    planes: planes.map((plane, p) => {
      const { stepX, stepY } = format.planes[p];
      const [width, height] = [rect.width / stepX, rect.height / stepY];
      const [across, down] = [out.width / stepX, out.height / stepY];
      // A sample lies in the middle of its luma px.
      const [midX, midY] = [(stepX - 1) / 2, (stepY - 1) / 2];
      const keep = new Float32Array(across * down).fill(1);
      const add = new Float32Array(across * down);
      for (let y = 0, i = 0; y < down; y++) {
        for (let x = 0; x < across; x++, i++) {
          const from = forth(back, out.x + x * stepX + midX, out.y + y * stepY + midY);
          const [u, v] = [(from.x - rect.x - midX) / stepX, (from.y - rect.y - midY) / stepY];
          const [left, top] = [Math.floor(u), Math.floor(v)];
          if (left < 1 || top < 1 || left > width - 3 || top > height - 3) continue;
          const [wx, wy] = [cubicWeights(u - left), cubicWeights(v - top)];
          keep[i] = cubicAt(plane.keep, width, left, top, wx, wy);
          add[i] = cubicAt(plane.add, width, left, top, wx, wy);
        }
      }
      return { keep, add };
    }),
  };
}
