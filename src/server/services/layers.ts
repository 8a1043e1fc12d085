import { createHash } from 'node:crypto';
import {
  counting,
  marksOf,
  marksText,
  ranked,
  toRemoval,
  type Marks,
  type RasterLibrary,
  type ShotDocument,
} from '../../contract/document.ts';
import type { Removal } from '../../core/shapes/shape.ts';
import { workRange } from '../../contract/shots.ts';
import { trimKeys, trimsOf, trimsText, type TrimNode, type Trims } from '../../contract/trim.ts';
import { colourModel } from '../../media/colour.ts';
import { rasterFile } from '../../media/rasterFile.ts';
import { DrawnMattes } from '../../media/drawnMattes.ts';
import type { Layer, LayerTrim } from '../../media/layeredFrames.ts';
import { storedFormat } from '../../media/pixelFormat.ts';
import { PatchFiles } from '../../media/takeFiles.ts';
import { offsetToStored } from '../../media/turn.ts';
import type { Files } from '../files.ts';
import { clipInfo, Clip } from '../store/clip.ts';
import { shotView, type Shot } from '../store/shot.ts';
import { Take } from '../store/take.ts';
import type { FramesWanted, StoredClip } from './frameStores.ts';

export function storedClip(clip: Clip, files: Files): StoredClip {
  return { hash: clip.hash!, path: files.clip(clip.hash!, clip.extension), info: clipInfo(clip) };
}

/** The mattes of a removal on `count` frames of a clip from `first`. @param beside - From {@link besideOf}. */
export function mattesOf(
  { info }: StoredClip,
  files: Files,
  id: string,
  marks: Marks,
  first: number,
  count: number,
  beside: readonly Marks[] = [],
): DrawnMattes {
  const { width, height, rotation } = info;
  const drawn = (of: Marks): Removal => toRemoval(id, of, first, rastersIn(files));
  return new DrawnMattes({ removal: drawn(marks), beside: beside.map(drawn), width, height, rotation, count });
}

/**
 * What else goes away in a shot and is not filled in the frames that a removal is filled on: nothing is taken from there, and the
 * light beside it is not that of the background.
 * @param filled - Ids of the removals that are filled there.
 */
export function besideOf(document: ShotDocument, removalId: string, filled: readonly string[]): Marks[] {
  return ranked(document.removals).flatMap(([id, removal]) => {
    if (id === removalId || filled.includes(id) || removal.hidden || counting(removal).length === 0) return [];
    return marksOf(document, id)!;
  });
}

/** Ids of the removals that come before one. */
export function removalsBefore({ removals }: ShotDocument, removalId: string): string[] {
  const ids = ranked(removals).map(([id]) => id);
  return ids.slice(0, Math.max(0, ids.indexOf(removalId)));
}

/** Frames of mattes that were brought in, by their files. */
export const rastersIn =
  (files: Files): RasterLibrary =>
  (file) =>
    rasterFile(files.matte(file));

/** Takes, with their hand trims, as layers over frames that begin with the clip's frame `first`. */
export function layersOf(takes: readonly Take[], trims: Trims, clip: StoredClip, files: Files, first: number): Layer[] {
  return takes.map((take) => ({
    patches: new PatchFiles(files.take(take.id)),
    mattes: mattesOf(clip, files, take.removalId, take.marks, take.first, take.count),
    draft: take.draft,
    offset: first - take.first,
    trim: layerTrim(take, trims, clip),
  }));
}

/** A take's hand trim, in its own frames and px as stored. */
export function layerTrim({ removalId, first }: Take, trims: Trims, { info }: StoredClip): LayerTrim | undefined {
  const node = trims[removalId] as TrimNode | undefined;
  if (!node) return undefined;
  const keys = trimKeys(node, first).map((key) => {
    const { x: dx, y: dy } = offsetToStored({ x: key.dx, y: key.dy }, info.rotation);
    return { ...key, dx, dy };
  });
  return { keys, colour: colourModel(info, storedFormat(info.pixelFormat, info.width, info.height)) };
}

/** The trims that decide on the picture that takes make. */
export const pictureTrims = (takes: readonly Pick<Take, 'removalId'>[], document: ShotDocument): Trims =>
  trimsOf(
    document,
    takes.map((t) => t.removalId),
  );

/** What names the picture that takes make with their trims: the ids alone where there are none. */
export const picturesKey = (takes: readonly string[], trims: Trims): unknown[] =>
  trimsText(trims) === '' ? [takes] : [takes, trimsText(trims)];

/** Takes by id, in the order of the ids; deleted ones too, since other takes may lie on them. */
export async function takesById(ids: readonly string[]): Promise<Take[]> {
  const takes = await Take.findAll({ where: { id: [...ids] }, paranoid: false });
  const byId = new Map(takes.map((t) => [t.id, t]));
  return ids.flatMap((id) => byId.get(id) ?? []);
}

/** The frames that a take of a removal is computed on: the clip's with what lies beneath it. */
export async function framesBeneath(
  { first, count, beneath, beneathTrims }: Pick<Take, 'first' | 'count' | 'beneath' | 'beneathTrims'>,
  clip: StoredClip,
  files: Files,
): Promise<FramesWanted> {
  const takes = await takesById(beneath);
  if (takes.length === 0) return { clip, first, count };
  const key = hashOf(...picturesKey(beneath, beneathTrims)).slice(0, 16);
  return { clip, first, count, layers: { key, list: layersOf(takes, beneathTrims, clip, files, first) } };
}

/** Picks of a shot by removal. */
export async function picksOf(shotId: string): Promise<Map<string, Take>> {
  const picks = await Take.findAll({ where: { shotId, picked: true } });
  return new Map(picks.map((t) => [t.removalId, t]));
}

/** Picks in the order of the document's removals: those before `removalId`, or all. */
export function picksInOrder(document: ShotDocument, picks: Map<string, Take>, removalId?: string): Take[] {
  const ids =
    removalId === undefined ? ranked(document.removals).map(([id]) => id) : removalsBefore(document, removalId);
  return ids.flatMap((id) => (document.removals[id].hidden ? [] : (picks.get(id) ?? [])));
}

/** What a take of a removal would be computed from now; undefined if the removal is gone. */
export function basisOf(
  shot: Shot,
  removalId: string,
  picks: Map<string, Take>,
  clipFrames: number,
): ({ marks: Marks; first: number; count: number } & Ground) | undefined {
  const marks = marksOf(shot.document, removalId);
  if (!marks) return undefined;
  const { first, count } = workRange(shotView(shot), clipFrames);
  return { marks, first, count, ...groundOf(shot.document, { removalId, marks, first, count }, picks) };
}

/** What a take lies on, and what names all that it is computed from. */
type Ground = Pick<Take, 'beneath' | 'marksHash'> & { beneathTrims: Trims };

/** What a take of a removal's marks lies on now. */
export function groundOf(
  document: ShotDocument,
  { removalId, marks, first, count }: Pick<Take, 'removalId' | 'marks' | 'first' | 'count'>,
  picks: Map<string, Take>,
): Ground {
  const under = picksInOrder(document, picks, removalId);
  const beneath = under.map((t) => t.id);
  const beneathTrims = pictureTrims(under, document);
  const marksHash = hashOf(marksText(marks), first, count, ...picturesKey(beneath, beneathTrims));
  return { beneath, beneathTrims, marksHash };
}

export function hashOf(...parts: unknown[]): string {
  return createHash('sha256').update(JSON.stringify(parts)).digest('hex');
}
