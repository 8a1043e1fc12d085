import { cornersOf, LIMITS, type ShotDocument } from '../../contract/document.ts';
import { AppError } from '../../core/errors.ts';
import { readShapesJson, type ShapeTable } from '../../core/shapes/shapeTable.ts';
import { lossesOf } from '../../core/tracking/stretches.ts';
import { readTrackCsv, readTrackJson, type TrackRow } from '../../core/tracking/trackTable.ts';
import { addRemoval, addShape } from './edits.ts';
import { readShapesSvg } from './readSvg.ts';
import { addTrack } from './trackEdits.ts';

/** What a file brought into the document. */
export type BroughtIn = { kind: 'shapes'; removalId: string } | { kind: 'track'; trackId: string };

/**
 * Brings a track (CSV or JSON) or shapes (SVG or JSON) into the document, as `docs/formats.md` describes them: a track of its own, or a
 * removal of its own.
 *
 * @param name - Of the file.
 * @throws AppError `track_file`, `shape_file` if it is neither; nothing is changed then.
 */
export function bringIn(draft: ShotDocument, text: string, name: string): BroughtIn {
  const stem = name.replace(/\.[^.]*$/, '').slice(0, 60) || 'File';
  if (/^\s*</.test(text)) return { kind: 'shapes', removalId: addShapes(draft, readShapesSvg(text, stem)) };
  if (!/^\s*[[{]/.test(text)) return { kind: 'track', trackId: addRows(draft, readTrackCsv(text), stem) };
  if (/"shapes"\s*:/.test(text)) return { kind: 'shapes', removalId: addShapes(draft, readShapesJson(text)) };
  return { kind: 'track', trackId: addRows(draft, readTrackJson(text), stem) };
}

function addRows(draft: ShotDocument, rows: TrackRow[], name: string): string {
  if (rows.length === 0) throw new AppError('track_file', 'The file has no frames.');
  if (rows.length > LIMITS.keys) throw new AppError('track_file', `The file has more than ${LIMITS.keys} frames.`);
  checkPlaces(
    'track_file',
    rows.flatMap(({ quad }) => quad.flatMap((p) => [p.x, p.y])),
  );
  // A track holds on to something: the frame that is surest.
  const best = rows.reduce((a, b) => (b.confidence > a.confidence ? b : a));
  const id = addTrack(draft, best.frame, cornersOf(best.quad));
  const track = draft.tracks[id];
  track.name = name;
  track.frames = Object.fromEntries(rows.map((r) => [r.frame, [r.confidence, ...cornersOf(r.quad)]]));
  track.losses = lossesOf(rows);
  return id;
}

function addShapes(draft: ShotDocument, { shapes, name, holdGrow, holdFeather, ...edge }: ShapeTable): string {
  if (shapes.length > LIMITS.shapes)
    throw new AppError('shape_file', `The file has more than ${LIMITS.shapes} shapes.`);
  for (const { keys } of shapes) {
    if (keys.length > LIMITS.keys || keys.some((k) => k.points.length > LIMITS.points)) {
      throw new AppError('shape_file', `A shape may have ${LIMITS.keys} keys of ${LIMITS.points} points.`);
    }
    checkPlaces(
      'shape_file',
      keys.flatMap((k) => k.points.flatMap((p) => Object.values(p))),
    );
  }
  const within = (v: number, most: number): number => Math.max(-most, Math.min(most, v));
  const id = addRemoval(draft);
  const removal = draft.removals[id];
  Object.assign(removal, {
    name: name.slice(0, 60),
    grow: within(edge.grow, LIMITS.grow),
    featherIn: Math.abs(within(edge.featherIn, LIMITS.feather)),
    featherOut: Math.abs(within(edge.featherOut, LIMITS.feather)),
    holdGrow: within(holdGrow, LIMITS.grow),
    holdFeather: Math.abs(within(holdFeather, LIMITS.feather)),
  });
  for (const { keys, ...shape } of shapes) {
    const shapeId = addShape(removal, shape.kind, keys[0].frame, keys[0].points);
    Object.assign(removal.shapes[shapeId], {
      ...shape,
      name: shape.name.slice(0, 60),
      keys: Object.fromEntries(keys.map(({ frame, ease, points }) => [frame, { ease, points }])),
    });
  }
  return id;
}

function checkPlaces(code: string, values: readonly number[]): void {
  if (values.some((v) => Math.abs(v) > LIMITS.place)) {
    throw new AppError(code, `The file has places farther than ${LIMITS.place} px from the picture.`);
  }
}
