import { compare } from 'fast-json-patch';
import { defineStore } from 'pinia';
import { computed, ref, watch } from 'vue';
import {
  toShape,
  type Pointed,
  type RemovalNode,
  type ShapeNode,
  type ShotDocument,
} from '../../../contract/document.ts';
import type { PointBody } from '../../../contract/outlines.ts';
import { pathAt } from '../../../core/shapes/interpolate.ts';
import { flatten } from '../../../core/shapes/rasterise.ts';
import { api } from '../../api/client.ts';
import { useDocument } from '../../document/documentStore.ts';
import { isFollowed } from '../../document/outlineAnchors.ts';
import { putOutline, type OutlinePlace } from '../../document/outlineEdits.ts';
import { useMovers } from './moversStore.ts';
import { useStage } from './stageStore.ts';
import { useTracks } from './tracksStore.ts';
import { useWork } from './workStore.ts';

/** What a person has just done with the pointer: strokes as x0 y0 …, px of the picture. */
export type Gesture =
  | { kind: 'add' | 'remove'; stroke: number[] }
  | { kind: 'box'; box: [number, number, number, number] }
  | { kind: 'paint' | 'erase'; stroke: number[]; brush: number };

/** An outline that was found before it was known what moves. */
interface Blind {
  place: OutlinePlace;
  body: PointBody;
  pointed: Pointed;
  edit: string | undefined;
  /** The shape as it was then. */
  shape: ShapeNode;
}

/** Outlines of the shot at hand that are found by pointing. */
export const useOutlines = defineStore('outlines', () => {
  const doc = useDocument();
  const stage = useStage();
  const tracks = useTracks();
  const movers = useMovers();
  const work = useWork();
  const waiting = ref(0);
  /** Width of the brush, px of the picture. */
  const brush = ref(24);
  let last: Promise<void> = Promise.resolve();
  let blind: Blind | undefined;

  /** The chosen shape, if it was found by pointing. */
  const current = computed<ShapeNode | undefined>(() => {
    const shape = doc.document.removals[stage.removalId]?.shapes[stage.shapeId] as ShapeNode | undefined;
    return shape?.outline && shape;
  });
  const pointedAt = (frame: number): Pointed | undefined => current.value?.outline?.anchors[frame];
  const following = computed(() => tracks.follows[stage.shapeId]);
  const busy = computed(() => tracks.isBusy(stage.shapeId));

  /** Looks for what is pointed at; one gesture after the other, each on what the one before has found. */
  const point = (frame: number, gesture: Gesture): Promise<void> =>
    inTurn(async () => {
      await ask(frame, gesture);
      // What moves tells things apart: the shot is searched for it once somebody points, but the answer comes first.
      if (!movers.search && !movers.busy) void movers.start();
    });

  function inTurn(work: () => Promise<void>): Promise<void> {
    waiting.value++;
    last = last.then(work).finally(() => waiting.value--);
    return last;
  }

  async function ask(frame: number, gesture: Gesture): Promise<void> {
    const { shotId } = doc;
    const place = { removalId: stage.removalId, shapeId: current.value ? stage.shapeId : '' };
    const { body, pointed } = requestFor(frame, gesture);
    const knowing = movers.search?.state === 'done';
    blind = undefined;
    const answer = await work.act(() => api.point(shotId, body));
    if (!answer || shotId !== doc.shotId) return;
    if (answer.outline.length < 6) {
      work.failure = 'Nothing could be told apart there. Point at more of it, or drag a box around it.';
      return;
    }
    const wasFollowed = current.value !== undefined && isFollowed(current.value);
    let there = place;
    const edit = doc.edit(LABELS[gesture.kind], (draft) => {
      there = putOutline(draft, place, frame, pointed, answer.outline);
    });
    stage.selectRemoval(there.removalId);
    stage.selectShape(there.shapeId);
    if (wasFollowed) void follow(edit);
    else if (!knowing && !body.prior) blind = { place: there, body, pointed, edit, shape: shapeAt(there)! };
  }

  const shapeAt = ({ removalId, shapeId }: OutlinePlace): ShapeNode | undefined =>
    (doc.document.removals[removalId] as RemovalNode | undefined)?.shapes[shapeId];

  /** Once it is known what moves, what was found without is looked for again, unless somebody has gone on with it. */
  async function askKnowing(): Promise<void> {
    const before = blind;
    blind = undefined;
    if (!before) return;
    const untouched = (): boolean => {
      const now = shapeAt(before.place);
      return now !== undefined && compare(before.shape, now).length === 0 && !tracks.isBusy(before.place.shapeId);
    };
    if (!untouched()) return;
    // What is there stays if nothing better is found.
    const answer = await api.point(doc.shotId, before.body).catch(() => undefined);
    if (!answer || answer.outline.length < 6 || !untouched()) return;
    const better = (draft: ShotDocument): void =>
      void putOutline(draft, before.place, before.body.frame, before.pointed, answer.outline);
    doc.edit(LABELS.add, better, before.edit);
  }

  watch(
    () => movers.search?.state,
    (state) => {
      if (state === 'done' && blind) void inTurn(askKnowing);
    },
  );

  /** What is asked: everything pointed at in a fresh frame, or only what mends the outline that is there already. */
  function requestFor(frame: number, gesture: Gesture): { body: PointBody; pointed: Pointed } {
    const before = pointedAt(frame);
    const own: Pointed = { add: [], remove: [] };
    if (gesture.kind === 'box') own.box = gesture.box;
    else own[gesture.kind === 'add' || gesture.kind === 'paint' ? 'add' : 'remove'].push(gesture.stroke);
    const painted = gesture.kind === 'paint' || gesture.kind === 'erase';
    const prior = !painted && before && !before.mends ? undefined : outlineAt(frame);
    const pointed: Pointed = {
      add: [...(before?.add ?? []), ...own.add],
      remove: [...(before?.remove ?? []), ...own.remove],
    };
    const box = own.box ?? before?.box;
    if (box) pointed.box = box;
    if (prior) pointed.mends = true;
    const asked = prior ? own : pointed;
    const body: PointBody = { frame, add: asked.add, remove: asked.remove };
    if (asked.box) body.box = asked.box;
    if (prior) body.prior = prior;
    if (painted) body.brush = gesture.brush;
    return { body, pointed };
  }

  /** The outline of the chosen shape at a frame, x0 y0 …; undefined where it has none. */
  function outlineAt(frame: number): number[] | undefined {
    const node = current.value;
    const points = node && pathAt(toShape(stage.shapeId, node), frame);
    return points && Array.from(flatten(points), (v) => Math.round(10 * v) / 10);
  }

  /**
   * Follows the outline of the chosen shape where frames of it are missing, of the chosen ones if some are.
   * @param after - The edit that made it necessary: one undo takes both back.
   */
  function follow(after?: string): Promise<void> {
    const [{ shotId }, { shapeId, span }] = [doc, stage];
    return tracks.start(shapeId, () =>
      api.followOutline(shotId, shapeId, { ...span, ...(after && { completes: after }) }),
    );
  }

  const stop = (): void => tracks.stop(stage.shapeId);

  return { current, pointedAt, following, busy, waiting, brush, point, follow, stop };
});

const LABELS: Record<Gesture['kind'], string> = {
  add: 'Point at a thing',
  remove: 'Point at what is not of it',
  box: 'Point at a thing',
  paint: 'Paint an outline',
  erase: 'Erase an outline',
};
