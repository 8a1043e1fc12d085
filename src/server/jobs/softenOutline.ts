import {
  findShape,
  frameNumbers,
  marksOf,
  toRemoval,
  toShape,
  type MatteNode,
  type ShapeNode,
} from '../../contract/document.ts';
import { workRange, type PatchOperation } from '../../contract/shots.ts';
import { AppError } from '../../core/errors.ts';
import type { Removal } from '../../core/shapes/shape.ts';
import { plainRemoval, removalBeside } from '../../media/drawnMask.ts';
import { DrawnMattes } from '../../media/drawnMattes.ts';
import { LumaFrames } from '../../media/lumaStore.ts';
import { OutlineMattes } from '../../media/outlineMattes.ts';
import { writeRasterFile } from '../../media/rasterFile.ts';
import { RawStore } from '../../media/rawStore.ts';
import { rastersIn, storedClip } from '../services/layers.ts';
import type { StoredClip } from '../services/frameStores.ts';
import type { Clip } from '../store/clip.ts';
import type { Matte } from '../store/matte.ts';
import { Shot, shotView } from '../store/shot.ts';
import { commitEdit } from './commitEdit.ts';
import type { JobContext, Work } from './runWork.ts';
import { shotCues } from './shotCues.ts';

/** Makes a matte of a shape's outline, with the edge that the picture shows, and lets it count in the shape's place. */
export async function softenOutline(
  row: Matte,
  shot: Shot,
  clipRow: Clip,
  context: JobContext,
  work: Work,
): Promise<void> {
  const place = placeOf(shot, row);
  if (!place) return;
  const { shape } = place;
  const clip = storedClip(clipRow, context.files);
  const { width, height, rotation, frames: count } = clip.info;
  const range = workRange(shotView(shot), count);
  const wanted = { clip, first: range.first, count: range.count };
  const own = framesOf(shape, range.first, range.first + range.count - 1);
  work.report('decode', 0);
  const stored = await context.stores.full(wanted, work.signal);
  const cues = row.outline!.apart ? await shotCues(shot.id, clip, range, context, work) : undefined;
  const store = new RawStore(stored.path, stored.format);
  const drawings = drawingsOf(row.outline!.shapeId, place, shot, clip, context);
  try {
    const known = { first: range.first, last: range.first + range.count - 1 };
    const luma = new LumaFrames(store, range.first, count);
    const mattes = new OutlineMattes(
      drawings.own,
      luma,
      { width, height, rotation },
      { ...own, known },
      row.outline!.reach,
      cues && { cueAt: cues.cueAt, others: drawings.beside },
    );
    await writeRasterFile(mattes, context.files.matte(row.id), (done) => work.report('mattes', done), work.signal);
  } finally {
    cues?.close();
    store.close();
  }
  await layIn(row, { file: row.id, count: own.last - own.first + 1, start: own.first, pace: 1 }, context);
}

/** A shape by its outline alone, and what else goes away by its removal. */
function drawingsOf(
  shapeId: string,
  { removalId, shape }: { removalId: string; shape: ShapeNode },
  { document }: Shot,
  { info: { width, height, rotation, frames: count } }: StoredClip,
  { files }: JobContext,
): { own: DrawnMattes; beside: DrawnMattes } {
  const drawn = (removal: Removal): DrawnMattes => new DrawnMattes({ removal, width, height, rotation, count });
  const all = toRemoval(removalId, marksOf(document, removalId)!, 0, rastersIn(files));
  return {
    own: drawn(plainRemoval(toShape(shapeId, shape, 0, document.tracks))),
    beside: drawn(removalBeside(shapeId, all)),
  };
}

/** Undefined if the shape is gone with the edit that this completes: nobody waits for it. */
function placeOf(shot: Shot, row: Matte): { removalId: string; shape: ShapeNode } | undefined {
  const place = findShape(shot.document, row.outline!.shapeId);
  if (!place && !row.outline!.completes)
    throw new AppError('not_found', 'The shape that was to become a matte is gone.');
  return place;
}

/** Frames on which a shape counts: those that it is limited to; else all, of an outline those that have a key. */
function framesOf(shape: ShapeNode, first: number, last: number): { first: number; last: number } {
  const keys = frameNumbers(shape.keys);
  const { from, to } =
    shape.visible ?? (shape.outline ? { from: keys[0], to: keys.at(-1)! } : { from: first, to: last });
  return { first: from, last: to };
}

async function layIn(row: Matte, matte: MatteNode, context: JobContext): Promise<void> {
  const shot = (await Shot.findByPk(row.shotId))!;
  const { shapeId, completes } = row.outline!;
  const place = placeOf(shot, row);
  if (!place) return;
  const { removalId, shape } = place;
  const { shapes } = shot.document.removals[removalId];
  const of = shape.variant?.of ?? row.id;
  const name = `${shape.name}, soft`.slice(0, 60);
  const rank = Math.max(...Object.values(shapes).map((s) => s.rank)) + 1;
  const node: ShapeNode = {
    name,
    rank,
    kind: 'matte',
    operation: shape.operation,
    matte,
    keys: {},
    variant: { of, off: false },
  };
  const path = `/removals/${removalId}/shapes`;
  const others = Object.keys(shapes).filter((id) => id === shapeId || shapes[id].variant?.of === of);
  const patch: PatchOperation[] = [
    ...others.map((id): PatchOperation => ({ op: 'add', path: `${path}/${id}/variant`, value: { of, off: true } })),
    { op: 'add', path: `${path}/${row.id}`, value: node },
  ];
  await commitEdit(row, shot, { label: `Soften “${shape.name}”`, patch, completes }, context);
}
