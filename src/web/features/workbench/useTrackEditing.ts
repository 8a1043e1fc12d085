import { computed, ref, watch } from 'vue';
import { cornersOf, quadOf, toRide, type TrackEntry } from '../../../contract/document.ts';
import { middleOf } from '../../../core/geometry/homography.ts';
import { quadAt } from '../../../core/shapes/ride.ts';
import type { Quad } from '../../../core/tracking/regionModel.ts';
import { useDocument } from '../../document/documentStore.ts';
import { addTrack, setAnchor } from '../../document/trackEdits.ts';
import { rotate, rounded, scale, type Place } from '../../marks/pathEdits.ts';
import { useStage } from './stageStore.ts';
import { useTracks } from './tracksStore.ts';

/** What a pointer has taken hold of: a corner, or the whole region. */
export type TrackGrip = { kind: 'corner'; index: number } | { kind: 'region' };

/** Smallest side of a region that is drawn, px of the frame. */
const SMALLEST = 6;

/** The region of the current track on the picture, and what a pointer or a key does to it. Frame px. */
export function useTrackEditing(frame: () => number) {
  const doc = useDocument();
  const stage = useStage();
  const tracks = useTracks();
  const inHand = ref<Quad>();
  /** Corners that were set on the frames that went by while the region was held. */
  let steered = new Map<number, Quad>();
  let drag: { grip: TrackGrip; from: Place; quad: Quad } | undefined;
  let drawing: Place | undefined;

  const quad = computed<Quad | undefined>(() => {
    if (inHand.value) return inHand.value;
    const track = tracks.current;
    return track && (quadAt(toRide(track, 0), frame()) as Quad | undefined);
  });
  /** 0..1; undefined on a frame that has not been followed. */
  const confidence = computed(() => {
    const track = tracks.current;
    if (!track) return undefined;
    return frame() in track.anchors ? 1 : (track.frames[frame()] as TrackEntry | undefined)?.[0];
  });

  /** Sets corners as anchors, and has what lies between the anchors around them followed again. */
  function commit(next: Map<number, Quad>, label: string): void {
    const id = tracks.currentId;
    if (!id) return;
    const edit = doc.edit(label, (draft) => {
      for (const [at, corners] of next) setAnchor(draft.tracks[id], at, cornersOf(places(corners)));
    });
    void tracks.follow(id, edit);
  }

  // A region that is held stays under the pointer while the frames go by: each gets it as it was left there.
  watch(frame, (_, before) => {
    if (drag && inHand.value) steered.set(before, inHand.value);
  });

  function grab(grip: TrackGrip, at: Place): void {
    if (quad.value) drag = { grip, from: at, quad: quad.value };
  }

  function dragTo(at: Place): void {
    if (drawing) inHand.value = boxOf(drawing, at);
    else if (drag) inHand.value = moved(drag.quad, drag.grip, at.x - drag.from.x, at.y - drag.from.y);
  }

  function drop(): void {
    const next = inHand.value;
    if (drawing && next && isLarge(next)) make(next);
    else if (drag && next) commit(steered.set(frame(), next), LABELS[drag.grip.kind]);
    abandon();
  }

  function make(next: Quad): void {
    let id = '';
    const edit = doc.edit('Draw a region to follow', (draft) => {
      id = addTrack(draft, frame(), cornersOf(places(next)));
    });
    stage.selectShape('');
    stage.trackId = id;
    stage.tool = 'steer';
    void tracks.follow(id, edit);
  }

  function abandon(): void {
    drawing = undefined;
    drag = undefined;
    inHand.value = undefined;
    steered = new Map();
  }

  /** Grows and turns the region about its middle: what the other hand does on the keys. */
  function steer(factor: number, angle: number): void {
    if (!quad.value) return;
    const middle = middleOf(quad.value);
    const points = quad.value.map((p) => ({ ...p, ...STRAIGHT }));
    const next = rotate(scale(points, middle, factor, factor), middle, angle) as unknown as Quad;
    if (!drag) return commit(new Map([[frame(), next]]), 'Steer a region');
    // The region in hand goes on from where it is now.
    const [dx, dy] = inHand.value ? [middle.x - middleOf(drag.quad).x, middle.y - middleOf(drag.quad).y] : [0, 0];
    drag.quad = next.map((p) => ({ x: p.x - dx, y: p.y - dy })) as unknown as Quad;
    inHand.value = next;
  }

  return {
    quad,
    confidence,
    press: (at: Place) => (drawing = at),
    grab,
    dragTo,
    drop,
    abandon,
    steer,
    /** Sets one coordinate of a corner, and with it an anchor. */
    setCorner: (index: number, axis: 'x' | 'y', value: number) => {
      const next = quad.value?.map((p, i) => (i === index ? { ...p, [axis]: value } : p)) as unknown as
        Quad | undefined;
      if (next) commit(new Map([[frame(), next]]), LABELS.corner);
    },
    /** Sets an anchor with the corners as they are. */
    pin: () => quad.value && commit(new Map([[frame(), quad.value]]), 'Set the corners here'),
  };
}

export type TrackEditing = ReturnType<typeof useTrackEditing>;

const LABELS: Record<TrackGrip['kind'], string> = { corner: 'Set a corner', region: 'Steer a region' };
const STRAIGHT = { inX: 0, inY: 0, outX: 0, outY: 0 };

const places = (q: Quad): Quad => q.map((p) => rounded({ ...p, ...STRAIGHT })) as unknown as Quad;

const isLarge = ([a, , c]: Quad): boolean => c.x - a.x >= SMALLEST && c.y - a.y >= SMALLEST;

function boxOf(a: Place, b: Place): Quad {
  const [x0, x1] = [Math.min(a.x, b.x), Math.max(a.x, b.x)];
  const [y0, y1] = [Math.min(a.y, b.y), Math.max(a.y, b.y)];
  return quadOf([x0, y0, x1, y0, x1, y1, x0, y1]);
}

function moved(quad: Quad, grip: TrackGrip, dx: number, dy: number): Quad {
  return quad.map((p, i) =>
    grip.kind === 'region' || grip.index === i ? { x: p.x + dx, y: p.y + dy } : p,
  ) as unknown as Quad;
}
