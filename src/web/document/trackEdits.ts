import {
  frameNumbers,
  ranked,
  toRide,
  toShape,
  type Corners,
  type ShapeNode,
  type ShotDocument,
  type TrackNode,
} from '../../contract/document.ts';
import { drawnPathAt } from '../../core/shapes/interpolate.ts';
import { movedPath, rideMatrix } from '../../core/shapes/ride.ts';
import { betweenAnchors } from './outlineAnchors.ts';
import { partsUpTo, type TrackPart } from '../../core/tracking/regionModel.ts';

/** Changes of a document's tracks. Each works on a draft that may be changed. */

export const MODEL_DEFAULT: TrackPart = 'perspective';

/** @returns The id of a new track whose corners are set at one frame. */
export function addTrack(draft: ShotDocument, frame: number, corners: Corners): string {
  const id = crypto.randomUUID();
  const last = ranked(draft.tracks).at(-1)?.[1].rank ?? 0;
  draft.tracks[id] = {
    name: `Track ${last + 1}`,
    rank: last + 1,
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
