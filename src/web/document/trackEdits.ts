import {
  frameNumbers,
  nextRank,
  toRide,
  toShape,
  type Corners,
  type ShapeNode,
  type ShotDocument,
  type TrackEntry,
  type TrackNode,
} from '../../contract/document.ts';
import { invert3 } from '../../core/geometry/homography.ts';
import { drawnPathAt } from '../../core/shapes/interpolate.ts';
import { movedPath, quadAt, rideMatrix } from '../../core/shapes/ride.ts';
import type { PathPoint } from '../../core/shapes/shape.ts';
import { betweenAnchors } from './outlineAnchors.ts';
import { smoothRows, type SmoothRow } from '../../core/tracking/smoothRows.ts';
import { partsUpTo, type TrackPart } from '../../core/tracking/regionModel.ts';

/** Changes of a document's tracks. Each works on a draft that may be changed. */

export const MODEL_DEFAULT: TrackPart = 'perspective';

/** @returns The id of a new track whose corners are set at one frame. */
export function addTrack(draft: ShotDocument, frame: number, corners: Corners): string {
  const id = crypto.randomUUID();
  const rank = nextRank(draft.tracks);
  draft.tracks[id] = {
    name: `Track ${rank}`,
    rank,
    parts: partsUpTo(MODEL_DEFAULT),
    anchors: { [frame]: corners },
    frames: {},
    losses: [],
  };
  return id;
}

/** Deletes a track; what rode on it stays as it is seen at a frame. */
export function removeTrack(draft: ShotDocument, id: string, frame: number): void {
  for (const removal of Object.values(draft.removals)) {
    for (const shape of Object.values(removal.shapes)) if (shape.rides?.track === id) letGo(draft, shape, frame);
  }
  delete draft.tracks[id];
}

/** Lets a shape ride on a track, with the outline that it has at a frame. */
export function rideOn(draft: ShotDocument, shape: ShapeNode, track: string, frame: number): void {
  if (shape.rides) letGo(draft, shape, frame);
  else keepOutline(shape, frame);
  shape.rides = { track, home: frame };
}

/** Points of a frame, in px of the frame that a shape is at home in. */
export function atHome(
  { rides }: ShapeNode,
  tracks: ShotDocument['tracks'],
  points: PathPoint[],
  frame: number,
): PathPoint[] {
  const track = rides && (tracks[rides.track] as TrackNode | undefined);
  return track ? movedPath(points, invert3(rideMatrix(toRide(track, rides.home), frame))) : points;
}

/** Takes a shape from its track: the outline that it has at a frame, on all frames. */
export function letGo(draft: ShotDocument, shape: ShapeNode, frame: number): void {
  const track = shape.rides && (draft.tracks[shape.rides.track] as TrackNode | undefined);
  keepOutline(shape, frame);
  if (track) {
    const m = rideMatrix(toRide(track, shape.rides!.home), frame);
    shape.keys[frame].points = movedPath(shape.keys[frame].points, m);
  }
  delete shape.rides;
}

function keepOutline(shape: ShapeNode, frame: number): void {
  const points = drawnPathAt({ ...toShape('', shape), visible: undefined }, frame)!;
  shape.keys = { [frame]: { ease: 'linear', points } };
}

/** Sets the corners at a frame; what was followed between the anchors around it has to be followed again. */
export function setAnchor(track: TrackNode, frame: number, corners: Corners): void {
  forget(track, frame);
  track.anchors[frame] = corners;
}

/** Takes an anchor away; the last one stays. */
export function removeAnchor(track: TrackNode, frame: number): void {
  if (!(frame in track.anchors) || frameNumbers(track.anchors).length < 2) return;
  delete track.anchors[frame];
  forget(track, frame);
}

/** Frames beyond a stretch on either side that what is smoothed in it has to go on from. */
const BORDER = 2;

/**
 * Evens a stretch of frames out and draws in what is missing in it; anchors stay, and what was less sure gives way more.
 * Nothing is changed if fewer than two frames in or next to it are known.
 */
export function smoothSpan(track: TrackNode, first: number, last: number): void {
  const known = { ...track.frames, ...byAnchor(track) };
  const rows = Array.from({ length: last - first + 1 + 2 * BORDER }, (_, i): SmoothRow | undefined => {
    const frame = first - BORDER + i;
    const entry = known[frame] as TrackEntry | undefined;
    const fixed = frame in track.anchors || frame < first || frame > last;
    return entry && { values: entry.slice(1), trust: entry[0], fixed };
  });
  if (rows.filter(Boolean).length < 2) return;
  smoothRows(rows).forEach((values, i) => {
    const frame = first - BORDER + i;
    if (frame < first || frame > last || frame in track.anchors) return;
    track.frames[frame] = [rows[i]?.trust ?? 0, ...values.map(hundredths)];
  });
}

/** Keeps the corners of a stretch's first frame (or the known ones nearest to it) over all of it; both its ends become anchors. */
export function holdSpan(track: TrackNode, first: number, last: number): void {
  const corners = Array.from(quadAt(toRide(track, first), first)!.flatMap((p) => [p.x, p.y]));
  clearSpan(track, first, last);
  track.anchors[first] = corners;
  track.anchors[last] = corners;
  for (let t = first; t <= last; t++) track.frames[t] = [1, ...corners];
}

/** Forgets a stretch, its anchors too, but never the last anchor of the track. */
export function deleteSpan(track: TrackNode, first: number, last: number): void {
  const keep = frameNumbers(track.anchors).every((f) => f >= first && f <= last) ? frameNumbers(track.anchors)[0] : -1;
  const kept = track.anchors[keep] as Corners | undefined;
  clearSpan(track, first, last);
  if (!kept) return;
  track.anchors[keep] = kept;
  track.frames[keep] = [1, ...kept];
}

/** Forgets the guesses of frames first..last in which the region was lost, so that it is looked for there again. */
export function forgetLost(track: TrackNode, first: number, last: number): void {
  const lost = (f: number): boolean => track.losses.some(({ from, to }) => f >= from && f <= to);
  for (const f of frameNumbers(track.frames)) if (f >= first && f <= last && lost(f)) delete track.frames[f];
  clearLosses(track, first, last);
}

function clearSpan(track: TrackNode, first: number, last: number): void {
  for (const byFrame of [track.frames, track.anchors]) {
    for (const f of frameNumbers(byFrame)) if (f >= first && f <= last) delete byFrame[f];
  }
  clearLosses(track, first, last);
}

function clearLosses(track: TrackNode, first: number, last: number): void {
  track.losses = track.losses.flatMap(({ from, to, reason }) =>
    [
      { from, to: Math.min(to, first - 1), reason },
      { from: Math.max(from, last + 1), to, reason },
    ].filter((l) => l.from <= l.to),
  );
}

const byAnchor = ({ anchors }: TrackNode): TrackNode['frames'] =>
  Object.fromEntries(Object.entries(anchors).map(([f, corners]) => [f, [1, ...corners]]));
const hundredths = (v: number): number => Math.round(100 * v) / 100;

/** Another model: everything has to be followed again. */
export function setParts(track: TrackNode, parts: TrackPart[]): void {
  track.parts = parts;
  track.frames = {};
  track.losses = [];
}

/** Forgets what was followed between the anchors before and after a frame. */
function forget(track: TrackNode, frame: number): void {
  const between = betweenAnchors(track.anchors, frame);
  for (const f of Object.keys(track.frames)) if (between(Number(f))) delete track.frames[f];
  track.losses = track.losses.filter((l) => !between(l.from));
}
