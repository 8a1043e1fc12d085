import { XMLParser } from 'fast-xml-parser';
import svgpath from 'svgpath';
import { AppError } from '../../core/errors.ts';
import type { Ease, PathPoint, Shape, ShapeKey } from '../../core/shapes/shape.ts';
import type { ShapeTable } from '../../core/shapes/shapeTable.ts';

interface Element {
  name: string;
  attributes: Record<string, string>;
  children: Element[];
}

const PARSER = new XMLParser({
  preserveOrder: true,
  ignoreAttributes: false,
  attributeNamePrefix: '',
  parseAttributeValue: false,
  // Entities of a document's own can be made to grow without end.
  processEntities: false,
});

const EASES: readonly Ease[] = ['linear', 'smooth', 'hold'];
const OPERATIONS: readonly Shape['operation'][] = ['add', 'subtract', 'hold'];

/**
 * Reads shapes from SVG: as this program writes them (docs/formats.md), a group for each shape and a path for each key; in SVG from
 * elsewhere each path is a shape, with one key. Closed outlines are read, open ones are closed; of a path with several outlines
 * each is a shape.
 *
 * @throws AppError `shape_file`.
 */
export function readShapesSvg(text: string, name: string): ShapeTable {
  const svg = parse(text).find((e) => e.name === 'svg');
  if (!svg) throw bad('The file is no SVG.');
  // Frame px have their whole numbers at the middle of pixels, SVG at their corners; ours is written with that in its view box.
  const corner = /^\s*(-?[\d.]+)[\s,]+(-?[\d.]+)/.exec(svg.attributes.viewBox ?? '0 0');
  const [dx, dy] = [-0.5 - Number(corner?.[1] ?? 0), -0.5 - Number(corner?.[2] ?? 0)];
  const shapes = groupsOf(svg, `translate(${dx} ${dy})`).flatMap(({ attributes, paths }, n) =>
    shapesOf(attributes, paths, `Shape ${n + 1}`),
  );
  if (shapes.length === 0) throw bad('There is no path in this SVG. Turn its shapes into paths first.');
  return { name, grow: 0, featherIn: 0, featherOut: 0, holdGrow: 0, holdFeather: 1, shapes };
}

interface Path {
  d: string;
  transform: string;
  frame: number;
  ease: Ease;
}
interface Group {
  attributes: Record<string, string>;
  paths: Path[];
}

/** Groups of ours with their paths; any other path is a group of its own. */
function groupsOf(element: Element, transform: string): Group[] {
  return element.children.flatMap((child): Group[] => {
    const own = [transform, child.attributes.transform ?? ''].join(' ');
    if (child.name === 'path') return [{ attributes: child.attributes, paths: [pathOf(child, own)] }];
    if (child.name !== 'g') return [];
    if (!('data-operation' in child.attributes)) return groupsOf(child, own);
    const paths = child.children.filter((c) => c.name === 'path');
    return [
      {
        attributes: child.attributes,
        paths: paths.map((p) => pathOf(p, [own, p.attributes.transform ?? ''].join(' '))),
      },
    ];
  });
}

function pathOf({ attributes }: Element, transform: string): Path {
  const frame = Number(attributes['data-frame'] ?? 0);
  return {
    d: attributes.d ?? '',
    transform,
    frame: Number.isInteger(frame) && frame >= 0 ? frame : 0,
    ease: EASES.find((e) => e === attributes['data-ease']) ?? 'linear',
  };
}

function shapesOf(attributes: Record<string, string>, paths: Path[], fallback: string): ShapeTable['shapes'] {
  const [from, to] = ['data-from', 'data-to'].map((key) => Number(attributes[key]));
  const base = {
    name: attributes['data-name'] ?? attributes.id ?? fallback,
    kind: 'path' as const,
    operation: OPERATIONS.find((o) => o === attributes['data-operation']) ?? ('add' as const),
    ...(Number.isInteger(from) && Number.isInteger(to) && { visible: { from, to } }),
  };
  const outlines = paths.map((path) => ({ path, found: outlinesOf(path) }));
  const most = Math.max(0, ...outlines.map((o) => o.found.length));
  return Array.from({ length: most }, (_, k) => ({
    ...base,
    name: k === 0 ? base.name : `${base.name} ${k + 1}`,
    keys: outlines
      .flatMap(({ path, found }): ShapeKey[] =>
        k < found.length ? [{ frame: path.frame, ease: path.ease, points: found[k] }] : [],
      )
      .sort((a, b) => a.frame - b.frame),
  })).filter((s) => s.keys.length > 0);
}

/** Outlines of a path, as points with their handles. */
function outlinesOf({ d, transform }: Path): PathPoint[][] {
  const parsed = svgpath.from(d).transform(transform).abs().unshort().unarc();
  if ((parsed as unknown as { err?: string }).err) throw bad('A path in this SVG cannot be read.');
  const out: PathPoint[][] = [];
  let points: PathPoint[] = [];
  const corner = (x: number, y: number): void => void points.push({ x, y, inX: 0, inY: 0, outX: 0, outY: 0 });
  const curve = (ax: number, ay: number, bx: number, by: number, x: number, y: number): void => {
    const last = points[points.length - 1];
    [last.outX, last.outY] = [ax - last.x, ay - last.y];
    points.push({ x, y, inX: bx - x, inY: by - y, outX: 0, outY: 0 });
  };
  parsed.iterate(([command, ...n], _, x, y) => {
    const v = n as number[];
    if (command === 'M') {
      points = [];
      out.push(points);
      corner(v[0], v[1]);
    } else if (command === 'L') corner(v[0], v[1]);
    else if (command === 'H') corner(v[0], y);
    else if (command === 'V') corner(x, v[0]);
    else if (command === 'C') curve(v[0], v[1], v[2], v[3], v[4], v[5]);
    // A quadratic Bézier as a cubic one: its handles go two thirds of the way.
    else if (command === 'Q')
      curve(
        x + (2 / 3) * (v[0] - x),
        y + (2 / 3) * (v[1] - y),
        v[2] + (2 / 3) * (v[0] - v[2]),
        v[3] + (2 / 3) * (v[1] - v[3]),
        v[2],
        v[3],
      );
  });
  return out.map(closed).filter((p) => p.length > 1);
}

/** An outline that comes back to its first point has that once. */
function closed(points: PathPoint[]): PathPoint[] {
  const [first, last] = [points[0], points[points.length - 1]];
  if (points.length < 3 || Math.hypot(first.x - last.x, first.y - last.y) > 1e-3) return points;
  return [{ ...first, inX: last.inX, inY: last.inY }, ...points.slice(1, -1)];
}

function parse(text: string): Element[] {
  try {
    return (PARSER.parse(text) as Record<string, unknown>[]).flatMap(elementOf);
  } catch {
    throw bad('The SVG cannot be read.');
  }
}

function elementOf(node: Record<string, unknown>): Element[] {
  const name = Object.keys(node).find((key) => key !== ':@');
  if (name === undefined || !Array.isArray(node[name])) return [];
  return [
    {
      name,
      attributes: (node[':@'] ?? {}) as Record<string, string>,
      children: (node[name] as Record<string, unknown>[]).flatMap(elementOf),
    },
  ];
}

const bad = (why: string): AppError => new AppError('shape_file', why);
