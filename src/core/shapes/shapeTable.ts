import { AppError } from '../errors.ts';
import { pathAt } from './interpolate.ts';
import type { PathPoint, Removal, Shape, ShapeKey } from './shape.ts';

/** An outline as the `d` of an SVG path. */
export function pathData(points: readonly PathPoint[], closed = true): string {
  if (points.length === 0) return '';
  const n = points.length;
  const parts = [`M${points[0].x} ${points[0].y}`];
  for (let i = 0; i < (closed ? n : n - 1); i++) {
    const [p, q] = [points[i], points[(i + 1) % n]];
    parts.push(`C${p.x + p.outX} ${p.y + p.outY} ${q.x + q.inX} ${q.y + q.inY} ${q.x} ${q.y}`);
  }
  return parts.join('') + (closed ? 'Z' : '');
}

/** Frames in which an outline is given: those of its keys, and on a ride every frame that the ride knows. */
function framesOf({ keys, ride, visible }: Shape): number[] {
  const frames = new Set([...keys.map((k) => k.frame), ...(ride?.quads.map((q) => q.frame) ?? [])]);
  const seen = [...frames].filter((f) => !visible || (f >= visible.from && f <= visible.to));
  return seen.sort((a, b) => a - b);
}

/**
 * The shapes of a removal as SVG (docs/formats.md): a group for each, with a path for each key, as it is seen on that frame.
 * Px of the frame; SVG's origin is the corner of the first pixel, so that everything lies half a px further on.
 */
export function shapesSvg(removal: Removal, width: number, height: number): string {
  const groups = removal.shapes.map((shape) => {
    const paths = framesOf(shape).map((frame) => {
      const ease = shape.keys.find((k) => k.frame === frame)?.ease;
      return `  <path data-frame="${frame}"${ease ? ` data-ease="${ease}"` : ''} d="${pathData(pathAt(shape, frame) ?? [])}"/>`;
    });
    const range = shape.visible ? ` data-from="${shape.visible.from}" data-to="${shape.visible.to}"` : '';
    return ` <g data-name="${escaped(shape.name)}" data-operation="${shape.operation}"${range}>\n${paths.join('\n')}\n </g>`;
  });
  return [
    `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" viewBox="-0.5 -0.5 ${width} ${height}" fill="none" stroke="#000000">`,
    ` <title>${escaped(removal.name)}</title>`,
    ...groups,
    '</svg>\n',
  ].join('\n');
}

/** The same as JSON: points as x, y and the two handles as offsets (inX, inY, outX, outY). */
export function shapesJson({ name, shapes, ...removal }: Removal): string {
  const table = shapes.map((shape) => ({
    name: shape.name,
    kind: shape.kind,
    operation: shape.operation,
    ...(shape.visible && { visible: shape.visible }),
    keys: framesOf(shape).map((frame) => ({
      frame,
      ease: shape.keys.find((k) => k.frame === frame)?.ease ?? 'linear',
      points: (pathAt(shape, frame) ?? []).map((p) => [p.x, p.y, p.inX, p.inY, p.outX, p.outY]),
    })),
  }));
  const { grow, featherIn, featherOut, holdGrow, holdFeather } = removal;
  const edge = { grow, featherIn, featherOut, holdGrow, holdFeather };
  return `${JSON.stringify({ space: 'px', name, ...edge, shapes: table }, null, 1)}\n`;
}

/** Shapes as a file gives them, with the edge of their matte. */
export type ShapeTable = Pick<Removal, 'name' | 'grow' | 'featherIn' | 'featherOut' | 'holdGrow' | 'holdFeather'> & {
  shapes: (Omit<Shape, 'id' | 'ride' | 'raster' | 'kind'> & { kind: Exclude<Shape['kind'], 'matte'> })[];
};

/**
 * Reads what {@link shapesJson} writes; an edge that is not given is 0.
 * @throws AppError `shape_file` naming the shape.
 */
export function readShapesJson(text: string): ShapeTable {
  let file: Partial<Record<string, unknown>>;
  try {
    file = (JSON.parse(text) as Partial<Record<string, unknown>> | null) ?? {};
  } catch {
    throw new AppError('shape_file', 'The file is no JSON.');
  }
  if (!Array.isArray(file.shapes) || file.shapes.length === 0) {
    throw new AppError('shape_file', 'The file has no list of shapes.');
  }
  const size = (name: string): number => (Number.isFinite(file[name]) ? (file[name] as number) : 0);
  return {
    name: typeof file.name === 'string' && file.name !== '' ? file.name : 'Shapes',
    grow: size('grow'),
    featherIn: size('featherIn'),
    featherOut: size('featherOut'),
    holdGrow: size('holdGrow'),
    holdFeather: size('holdFeather'),
    shapes: file.shapes.map(readShape),
  };
}

const KINDS = ['path', 'ellipse', 'rectangle'] as const;
const OPERATIONS = ['add', 'subtract', 'hold'] as const;
const EASES = ['linear', 'smooth', 'hold'] as const;

function readShape(entry: unknown, n: number): ShapeTable['shapes'][number] {
  const shape = (entry ?? {}) as Partial<Record<string, unknown>>;
  const keys = Array.isArray(shape.keys) ? shape.keys.map(readKey) : [];
  if (keys.length === 0 || keys.some((k) => k === undefined)) {
    throw new AppError(
      'shape_file',
      `Shape ${n + 1} has no keys, or one without a frame and at least two points of six numbers.`,
    );
  }
  const visible = (shape.visible ?? {}) as { from?: unknown; to?: unknown };
  const limited = Number.isInteger(visible.from) && Number.isInteger(visible.to);
  return {
    name: typeof shape.name === 'string' && shape.name !== '' ? shape.name : `Shape ${n + 1}`,
    kind: KINDS.find((k) => k === shape.kind) ?? 'path',
    operation: OPERATIONS.find((o) => o === shape.operation) ?? 'add',
    ...(limited && { visible: { from: visible.from as number, to: visible.to as number } }),
    keys: (keys as ShapeKey[]).sort((a, b) => a.frame - b.frame),
  };
}

function readKey(entry: unknown): ShapeKey | undefined {
  const { frame, ease, points } = (entry ?? {}) as Partial<Record<string, unknown>>;
  if (!Number.isInteger(frame) || (frame as number) < 0 || !Array.isArray(points) || points.length < 2)
    return undefined;
  const places = points.map((p: unknown) => {
    const numbers = Array.isArray(p) && p.length >= 2 ? [...(p as number[]), 0, 0, 0, 0].slice(0, 6) : [];
    const [x, y, inX, inY, outX, outY] = numbers;
    return numbers.length === 6 && numbers.every(Number.isFinite) ? { x, y, inX, inY, outX, outY } : undefined;
  });
  if (places.includes(undefined)) return undefined;
  return { frame: frame as number, ease: EASES.find((e) => e === ease) ?? 'linear', points: places as PathPoint[] };
}

const SIGNS: Record<string, string> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' };
const escaped = (text: string): string => text.replace(/[&<>"]/g, (c) => SIGNS[c]);
