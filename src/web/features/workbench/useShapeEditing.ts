import { computed, ref } from 'vue';
import { isOff, ranked, toShape } from '../../../contract/document.ts';
import type { Rect } from '../../../core/image/format.ts';
import { pathAt } from '../../../core/shapes/interpolate.ts';
import type { FollowView } from '../../../contract/tracks.ts';
import { sharpPoints, type PathPoint, type Shape } from '../../../core/shapes/shape.ts';
import { useDocument } from '../../document/documentStore.ts';
import { setKey } from '../../document/edits.ts';
import { atHome } from '../../document/trackEdits.ts';
import { holdOf, linesOf, type Axis } from '../../marks/lineUp.ts';
import {
  boundsOf,
  middleOfPath,
  insertPoint,
  moveHandle,
  movePoint,
  pinCorner,
  removePoint,
  rotate,
  rounded,
  scale,
  toggleCorner,
  translate,
  type Place,
} from '../../marks/pathEdits.ts';
import { useStage } from './stageStore.ts';
import { useTracks } from './tracksStore.ts';
import { CLICK_PX, useShapeDrawing } from './useShapeDrawing.ts';

/** What a pointer has taken hold of. */
export type Grip =
  | { kind: 'body' }
  | { kind: 'point'; index: number }
  | { kind: 'handle'; index: number; side: 'in' | 'out' }
  | { kind: 'scale'; x: -1 | 0 | 1; y: -1 | 0 | 1 }
  | { kind: 'turn' };

export interface DrawnShape {
  id: string;
  name: string;
  operation: Shape['operation'];
  points: PathPoint[];
  /** Another variant counts in its place. */
  off?: boolean;
}

/** On the screen, px: from so far a line holds what is dragged past it. */
const HOLD_PX = 5;

/**
 * Marks on the picture: what is drawn at the frame, and what a pointer does to it. Frame px.
 *
 * @param around - Boxes whose sides and middles hold what is dragged, besides those of the removal's other shapes.
 */
export function useShapeEditing(
  frame: () => number,
  screenScale: () => number,
  around: () => readonly Rect[] = () => [],
) {
  const doc = useDocument();
  const stage = useStage();
  const tracks = useTracks();
  /** The outline in hand while it is dragged. */
  const inHand = ref<{ shapeId: string; points: PathPoint[] }>();
  /** Where the pointer is over the picture. */
  const pointer = ref<Place>();
  /** Lines that hold the outline in hand. */
  const lines = ref<Partial<Record<Axis, number>>>({});
  let drag: { grip: Grip; from: Place; points: PathPoint[]; moved: boolean } | undefined;
  const drawing = useShapeDrawing(frame, screenScale);

  const removal = computed(() => doc.document.removals[stage.removalId]);

  const shapes = computed<DrawnShape[]>(() =>
    !removal.value
      ? []
      : ranked(removal.value.shapes).flatMap(([id, node]) => {
          const held = inHand.value?.shapeId === id ? inHand.value.points : undefined;
          const following = tracks.follows[id] as FollowView | undefined;
          const followed = following?.state === 'running' ? following.found[frame()] : undefined;
          const points =
            held ?? (followed && sharpPoints(followed)) ?? pathAt(toShape(id, node, 0, tracks.tracks), frame());
          return points ? [{ id, name: node.name, operation: node.operation, points, off: isOff(node) }] : [];
        }),
  );
  const selected = computed(() => shapes.value.find((s) => s.id === stage.shapeId));

  function commit(shapeId: string, points: PathPoint[], label: string): void {
    const at = frame();
    doc.edit(label, (draft) => {
      const shape = draft.removals[stage.removalId]?.shapes[shapeId];
      if (shape) setKey(shape, at, atHome(shape, tracks.tracks, points, at).map(rounded));
    });
  }

  function grab(shapeId: string, grip: Grip, at: Place): void {
    stage.selectShape(shapeId);
    const shape = shapes.value.find((s) => s.id === shapeId);
    if (!shape) return;
    if (grip.kind === 'point') stage.point = grip.index;
    drag = { grip, from: at, points: shape.points, moved: false };
  }

  function dragTo(at: Place, keys: DragKeys): void {
    if (drawing.size(at, keys.shift)) return;
    if (!drag) return;
    const far = Math.hypot(at.x - drag.from.x, at.y - drag.from.y) * screenScale();
    if (!drag.moved && far < CLICK_PX) return;
    drag.moved = true;
    lines.value = {};
    const to = keys.ctrl || keys.shift ? at : held(drag, at);
    inHand.value = { shapeId: stage.shapeId, points: changed(drag.points, drag.grip, drag.from, to, keys) };
  }

  /** Where the pointer would be if the lines near what it drags held that. */
  function held({ grip, points, from }: NonNullable<typeof drag>, at: Place): Place {
    const others = [...around(), ...shapes.value.filter((s) => s.id !== stage.shapeId).map((s) => boundsOf(s.points))];
    const hold = (axis: Axis) =>
      holdOf(
        draggedPlaces(points, grip, axis).map((place) => place + at[axis] - from[axis]),
        others.flatMap((box) => linesOf(box, axis)),
        HOLD_PX / screenScale(),
      );
    const [x, y] = [hold('x'), hold('y')];
    lines.value = { x: x?.line, y: y?.line };
    return { x: at.x + (x?.by ?? 0), y: at.y + (y?.by ?? 0) };
  }

  function drop(): void {
    drawing.finishSizing();
    if (drag?.moved && inHand.value) commit(inHand.value.shapeId, inHand.value.points, LABELS[drag.grip.kind]);
    letGo();
  }

  function letGo(): void {
    drag = undefined;
    inHand.value = undefined;
    lines.value = {};
  }

  function abandon(): void {
    letGo();
    drawing.abandon();
  }

  function withSelected(label: string, change: (points: PathPoint[]) => PathPoint[]): void {
    if (selected.value) commit(selected.value.id, change(selected.value.points), label);
  }

  return {
    shapes,
    selected,
    drawn: drawing.drawn,
    sized: drawing.sized,
    lines,
    pointer,
    pointAt: (at?: Place) => (pointer.value = at),
    press: drawing.press,
    bend: drawing.bend,
    close: drawing.close,
    grab,
    dragTo,
    drop,
    abandon,
    insert: (at: Place) => {
      if (!selected.value) return;
      const { points, index } = insertPoint(selected.value.points, at);
      commit(selected.value.id, points, 'Insert a point');
      stage.point = index;
    },
    deletePoint: () => {
      const { point } = stage;
      if (point !== undefined) withSelected('Delete a point', (p) => removePoint(p, point));
      stage.point = undefined;
    },
    /** Changes the chosen shape at the frame. */
    change: withSelected,
    toggleCorner: (index: number) => withSelected('Round or sharpen a point', (p) => toggleCorner(p, index)),
    nudge: (dx: number, dy: number) => {
      const { point } = stage;
      withSelected('Nudge', (p) =>
        point === undefined ? translate(p, dx, dy) : movePoint(p, point, { x: p[point].x + dx, y: p[point].y + dy }),
      );
    },
  };
}

/** Keys that are held while something is dragged. */
export interface DragKeys {
  alt: boolean;
  shift: boolean;
  ctrl?: boolean;
}

export type ShapeEditing = ReturnType<typeof useShapeEditing>;

const LABELS: Record<Grip['kind'], string> = {
  body: 'Move a shape',
  point: 'Move a point',
  handle: 'Bend a shape',
  scale: 'Scale a shape',
  turn: 'Turn a shape',
};

/** The places along an axis that go with the pointer, and that a line can hold. */
function draggedPlaces(points: readonly PathPoint[], grip: Grip, axis: Axis): number[] {
  const [start, middle, end] = linesOf(boundsOf(points), axis);
  switch (grip.kind) {
    case 'body':
      return [start, middle, end];
    case 'point':
      return [points[grip.index][axis]];
    case 'scale':
      return grip[axis] === 0 ? [] : [grip[axis] < 0 ? start : end];
    default:
      return [];
  }
}

function changed(points: PathPoint[], grip: Grip, from: Place, to: Place, { alt, shift, ctrl }: DragKeys): PathPoint[] {
  let [dx, dy] = [to.x - from.x, to.y - from.y];
  const box = boundsOf(points);
  const centre = middleOfPath(points);
  switch (grip.kind) {
    case 'body':
      if (shift) [dx, dy] = Math.abs(dx) > Math.abs(dy) ? [dx, 0] : [0, dy];
      return translate(points, dx, dy);
    case 'point': {
      const p = points[grip.index];
      return movePoint(points, grip.index, { x: p.x + dx, y: p.y + dy });
    }
    case 'handle':
      return moveHandle(points, grip.index, grip.side, to, alt);
    case 'turn': {
      const angle = Math.atan2(to.y - centre.y, to.x - centre.x) - Math.atan2(from.y - centre.y, from.x - centre.x);
      const step = Math.PI / 12;
      return rotate(points, centre, shift ? Math.round(angle / step) * step : angle);
    }
    case 'scale': {
      if (ctrl && grip.x !== 0 && grip.y !== 0) return pinCorner(points, grip.x, grip.y, dx, dy);
      const about = alt ? centre : { x: centre.x - (grip.x * box.width) / 2, y: centre.y - (grip.y * box.height) / 2 };
      const factor = (direction: number, a: number, b: number): number =>
        direction === 0 || Math.abs(a) < 1e-6 ? 1 : Math.max(0.01, b / a);
      let sx = factor(grip.x, from.x - about.x, to.x - about.x);
      let sy = factor(grip.y, from.y - about.y, to.y - about.y);
      if (shift && grip.x !== 0 && grip.y !== 0) sx = sy = Math.max(sx, sy);
      return scale(points, about, sx, sy);
    }
  }
}
