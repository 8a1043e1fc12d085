import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import { ranked, type TrackNode } from '../../../contract/document.ts';
import type { FollowView } from '../../../contract/tracks.ts';
import { api } from '../../api/client.ts';
import { onServerEvent } from '../../api/events.ts';
import { useDocument } from '../../document/documentStore.ts';
import { addTrack, forgetLost, rideOn } from '../../document/trackEdits.ts';
import { useStage } from './stageStore.ts';
import { useWork } from './workStore.ts';

/** Confidence from which a frame of a track can be relied on, and below which the region is lost. */
export const SURE = 0.8;
export const LOST = 0.3;

/** Tracks of the shot at hand: those of the document, with what is being followed just now laid over them. */
export const useTracks = defineStore('tracks', () => {
  const doc = useDocument();
  const stage = useStage();
  const work = useWork();
  const follows = shallowRef<Record<string, FollowView>>({});
  /** Tracks that are to be followed as soon as the server has their edits. */
  const wanted = ref<string[]>([]);
  let asked = 0;

  const isBusy = (id: string): boolean =>
    wanted.value.includes(id) || ['queued', 'running'].includes(follows.value[id]?.state);

  const tracks = computed<Record<string, TrackNode>>(() => {
    const out = { ...doc.document.tracks };
    for (const [id, { state, found }] of Object.entries(follows.value)) {
      if (state === 'running' && id in out) out[id] = { ...out[id], frames: { ...out[id].frames, ...found } };
    }
    return out;
  });

  /** The track that is worked on: that of the chosen shape, else one that was chosen by itself, else the removal's first. */
  const currentId = computed(() => {
    const shapes = doc.document.removals[stage.removalId]?.shapes ?? {};
    const ridden = ranked(shapes).flatMap(([, { rides }]) => rides?.track ?? []);
    const chosen = [shapes[stage.shapeId]?.rides?.track, stage.trackId, ...ridden];
    return chosen.find((id) => id !== undefined && id in doc.document.tracks) ?? '';
  });
  const current = computed<TrackNode | undefined>(() => tracks.value[currentId.value]);
  /** A shape is chosen that rides on nothing: it is the next to be followed, whatever the removal's other shapes ride on. */
  const choseUnridden = computed(() => {
    const shape = doc.document.removals[stage.removalId]?.shapes[stage.shapeId];
    return shape !== undefined && !shape.rides;
  });

  async function load(): Promise<void> {
    const mine = ++asked;
    const { shotId } = doc;
    const list = await api.follows(shotId).catch(() => undefined);
    if (list && mine === asked && shotId === doc.shotId) {
      follows.value = Object.fromEntries(list.map((f) => [f.targetId, f]));
    }
  }

  async function open(): Promise<void> {
    follows.value = {};
    wanted.value = [];
    await load();
  }

  onServerEvent((event) => {
    if (!doc.shotId || (event && event.shotId !== doc.shotId)) return;
    if (!event || event.kind === 'follow') void load();
  });

  /** Whether it is shown what tracks hold on to. */
  const pointsShown = ref(false);

  /** What the current track holds on to at a frame; nothing if the server does not know. */
  async function pointsAt(frame: number): Promise<number[]> {
    const answer = await api.trackPoints(doc.shotId, currentId.value, frame).catch(() => undefined);
    return answer?.points ?? [];
  }

  /**
   * Follows a track where frames of it are missing, of the chosen ones if some are.
   * @param after - The edit that made it necessary: one undo takes both back.
   */
  const follow = (id: string, after?: string): Promise<void> => {
    const { shotId } = doc;
    const body = { ...stage.span, ...(after && { completes: after }) };
    return start(id, () => api.follow(shotId, id, body));
  };

  /** Follows a track where frames are missing, and where it was lost once more: what hid it there may be marked by now. */
  function followOn(id: string): Promise<void> {
    const { first, last } = stage.span ?? { first: 0, last: Infinity };
    const edit = doc.edit('Look again for what was lost', (draft) => forgetLost(draft.tracks[id], first, last));
    return follow(id, edit);
  }

  /** Has a track or an outline followed, once the server knows all edits: it follows what it knows. */
  async function start(id: string, ask: () => Promise<FollowView>): Promise<void> {
    wanted.value = [...wanted.value, id];
    const { shotId } = doc;
    await doc.whenSent();
    const view = shotId === doc.shotId ? await work.act(ask) : undefined;
    if (view) {
      // What was asked before this does not know of it yet.
      asked++;
      follows.value = { ...follows.value, [id]: view };
      void load();
    }
    wanted.value = wanted.value.filter((other) => other !== id);
  }

  function stop(id: string): void {
    const { id: followId } = follows.value[id] ?? {};
    if (followId) void work.act(() => api.cancelFollow(followId)).then(load);
  }

  /** Lets the chosen shape ride on a new track of the region that it covers, and follows it. */
  function followShape(frame: number, corners: number[]): void {
    const { removalId, shapeId } = stage;
    let id = '';
    const edit = doc.edit('Follow a shape', (draft) => {
      id = addTrack(draft, frame, corners);
      rideOn(draft, draft.removals[removalId].shapes[shapeId], id, frame);
    });
    void follow(id, edit);
  }

  return {
    tracks,
    follows,
    currentId,
    current,
    choseUnridden,
    pointsShown,
    pointsAt,
    isBusy,
    open,
    follow,
    followOn,
    start,
    stop,
    followShape,
  };
});
