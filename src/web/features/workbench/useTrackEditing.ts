import { computed, ref } from 'vue';
import { cornersOf, quadOf, toRide, type Corners } from '../../../contract/document.ts';
import { quadAt } from '../../../core/shapes/ride.ts';
import type { Quad } from '../../../core/tracking/regionModel.ts';
import { useDocument } from '../../document/documentStore.ts';
import { addTrack, setAnchor } from '../../document/trackEdits.ts';
import { rotate, scale, type Place } from '../../marks/pathEdits.ts';
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
    return frame() in track.anchors ? 1 : (track.frames[frame()] as Corners | undefined)?.[0];
  });

  /** Sets the corners at the frame as an anchor, and has what lies between the anchors around it followed again. */
  function commit(next: Quad, label: string): void {
    const [id, at] = [tracks.currentId, frame()];
    if (!id) return;
    doc.edit(label, (draft) => setAnchor(draft.tracks[id], at, cornersOf(next).map(places)));
    void tracks.follow(id);
  }

  function press(at: Place): void {
    drawing = at;
  }

  function grab(grip: TrackGrip, at: Place): void {
    if (quad.value) drag = { grip, from: at, quad: quad.value };
  }

  function dragTo(at: Place): void {
    if (drawing) inHand.value = boxOf(drawing, at);
    else if (drag) inHand.value = moved(drag.quad, drag.grip, at.x - drag.from.x, at.y - drag.from.y);
  }

  function drop(): void {
    const next = inHand.value;
    if (drawing && next && next[2].x - next[0].x >= SMALLEST && next[2].y - next[0].y >= SMALLEST) make(next);
    else if (drag && next) commit(next, drag.grip.kind === 'corner' ? 'Set a corner' : 'Move a region');
    abandon();
  }

  function make(next: Quad): void {
    let id = '';
    doc.edit('Draw a region to follow', (draft) => {
      id = addTrack(draft, frame(), cornersOf(next).map(places));
    });
    stage.selectShape('');
    stage.trackId = id;
    stage.tool = 'pick';
    void tracks.follow(id);
  }

  function abandon(): void {
    drawing = undefined;
    drag = undefined;
    inHand.value = undefined;
  }

  return {
    quad,
    confidence,
    press,
    grab,
    dragTo,
    drop,
    abandon,
    /** Sets an anchor with the corners as they are. */
    pin: () => quad.value && commit(quad.value, 'Set the corners here'),
    /** Grows and turns the region about its middle: what a hand on the keys steers. */
    steer: (factor: number, angle: number) => {
      if (!quad.value) return;
      const middle = middleOf(quad.value);
      const points = quad.value.map((p) => ({ ...p, inX: 0, inY: 0, outX: 0, outY: 0 }));
      commit(rotate(scale(points, middle, factor, factor), middle, angle) as unknown as Quad, 'Steer a region');
    },
  };
}

export type TrackEditing = ReturnType<typeof useTrackEditing>;

const places = (v: number): number => Math.round(v * 1000) / 1000;

const middleOf = (q: Quad): Place => ({
  x: q.reduce((s, p) => s + p.x, 0) / 4,
  y: q.reduce((s, p) => s + p.y, 0) / 4,
});

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
