import { defineStore } from 'pinia';
import { ref, shallowRef } from 'vue';
import { type RasterLibrary, type RemovalNode } from '../../../contract/document.ts';
import { RECT_HEADER, type MatteView, type SoftenBody } from '../../../contract/mattes.ts';
import { rasterFrame, type RasterPatch } from '../../../core/shapes/raster.ts';
import { api, urls } from '../../api/client.ts';
import { onServerEvent } from '../../api/events.ts';
import type { HeldPatch } from '../../picture/matteLayer.ts';
import { useDocument } from '../../document/documentStore.ts';
import { useWork } from './workStore.ts';

/** Frames that are kept at hand; a matte's frame is small. */
const KEPT = 400;
/** How far on both sides of an outline its edge is looked for, px. */
const EDGE_REACH = 10;

/** Mattes that were brought in: those that are being read, and frames of those that the document uses. */
export const useMattes = defineStore('mattes', () => {
  const doc = useDocument();
  const work = useWork();
  const reading = shallowRef<MatteView[]>([]);
  /** By file and frame; empty ones too, so that they are not asked for again. The oldest go first. */
  const held = new Map<string, RasterPatch>();
  /** Changes whenever a frame has come. */
  const version = ref(0);

  async function load(): Promise<void> {
    const { shotId } = doc;
    const list = await api.mattes(shotId).catch(() => undefined);
    if (list && shotId === doc.shotId) reading.value = list;
  }

  async function open(): Promise<void> {
    reading.value = [];
    await load();
  }

  onServerEvent((event) => {
    if (!doc.shotId || (event && event.shotId !== doc.shotId)) return;
    if (!event || event.kind === 'matte') void load();
  });

  const dismiss = (id: string): Promise<unknown> => api.dismissMatte(id).then(load);

  /** Has a matte made of an outline, once the server knows all edits: it reads what it knows. */
  async function soften(shapeId: string, how: Omit<SoftenBody, 'reach'> = {}): Promise<void> {
    const { shotId } = doc;
    await doc.whenSent();
    if (shotId !== doc.shotId) return;
    await work.act(() => api.soften(shotId, shapeId, { reach: EDGE_REACH, ...how }));
    await load();
  }

  async function fetchFrame({ file, frame }: Omit<HeldPatch, 'patch'>): Promise<void> {
    const response = await fetch(urls.matteFrame(file, frame)).catch(() => undefined);
    if (!response?.ok) return;
    const [x, y, width, height] = (response.headers.get(RECT_HEADER) ?? '0,0,0,0').split(',').map(Number);
    const values = new Uint8Array(await response.arrayBuffer());
    held.set(`${file} ${frame}`, { rect: { x, y, width, height }, values });
    if (held.size > KEPT) held.delete(held.keys().next().value!);
    version.value++;
  }

  /** Frames that are at hand. */
  const library: RasterLibrary = (file) => (frame) => held.get(`${file} ${frame}`);

  /** Fetches what a removal needs of its mattes at a frame of the clip. @returns It, as far as it is to be had. */
  async function need(removal: RemovalNode | undefined, frame: number): Promise<HeldPatch[]> {
    const needed = Object.values(removal?.shapes ?? {}).flatMap(({ matte }) => {
      const at = matte && rasterFrame(matte, frame);
      return at === undefined ? [] : [{ file: matte!.file, frame: at }];
    });
    await Promise.all(needed.filter(({ file, frame: at }) => !library(file)(at)).map((one) => fetchFrame(one)));
    return needed.flatMap((one) => {
      const patch = library(one.file)(one.frame);
      return patch ? [{ ...one, patch }] : [];
    });
  }

  return { reading, version, open, dismiss, soften, library, need };
});

/** Frames of the clip over which a matte lies; undefined for any other shape. */
export function matteSpan(shape: RemovalNode['shapes'][string]): { from: number; to: number } | undefined {
  const { matte } = shape;
  if (!matte) return undefined;
  if (matte.pace === 0) return { from: 0, to: Infinity };
  const ends = [0, matte.count - 1].map((f) => matte.start + Math.round(f / matte.pace));
  return { from: Math.max(0, Math.min(...ends)), to: Math.max(...ends) };
}
