import { ref } from 'vue';
import { toRide } from '../../../contract/document.ts';
import { quadAt } from '../../../core/shapes/ride.ts';
import { ellipsePoints, rectanglePoints, type PathPoint } from '../../../core/shapes/shape.ts';
import { inside } from '../../../core/tracking/regionModel.ts';
import { useDocument } from '../../document/documentStore.ts';
import { addRemoval, addShape } from '../../document/edits.ts';
import { rideOn } from '../../document/trackEdits.ts';
import { middleOfPath, rounded, type Place } from '../../marks/pathEdits.ts';
import { useStage } from './stageStore.ts';
import { useTracks } from './tracksStore.ts';

/** A drag shorter than this is a click, screen px. */
export const CLICK_PX = 4;
/** A click this near to an outline's first point closes it, screen px. */
const CLOSE_PX = 10;

/** New shapes: an outline point by point, an ellipse or a box from corner to corner. Frame px. */
export function useShapeDrawing(frame: () => number, screenScale: () => number) {
  const doc = useDocument();
  const stage = useStage();
  const tracks = useTracks();
  /** Points of an outline that is being drawn. */
  const drawn = ref<PathPoint[]>([]);
  /** The ellipse or box that is being drawn. */
  const sized = ref<PathPoint[]>();
  let sizing: { from: Place; to: Place } | undefined;

  /** Starts an ellipse or a box at one corner, or puts a point of an outline. */
  function press(at: Place): void {
    if (stage.tool === 'ellipse' || stage.tool === 'rectangle') {
      sizing = { from: at, to: at };
    } else if (stage.tool === 'path') {
      const [first] = drawn.value;
      const near = first && Math.hypot(first.x - at.x, first.y - at.y) * screenScale() < CLOSE_PX;
      if (near && drawn.value.length > 2) return close();
      drawn.value = [...drawn.value, { ...at, inX: 0, inY: 0, outX: 0, outY: 0 }];
    }
  }

  /** While the button is down after a point was put: its handles. */
  function bend(at: Place): void {
    const index = drawn.value.length - 1;
    if (index < 0) return;
    const p = drawn.value[index];
    const [x, y] = [at.x - p.x, at.y - p.y];
    if (Math.hypot(x, y) * screenScale() < CLICK_PX) return;
    drawn.value = drawn.value.map((q, i) => (i === index ? { ...q, outX: x, outY: y, inX: -x, inY: -y } : q));
  }

  function close(): void {
    if (drawn.value.length > 2) make('path', drawn.value);
    drawn.value = [];
  }

  function sizedPoints(even: boolean): PathPoint[] | undefined {
    if (!sizing) return undefined;
    const { from } = sizing;
    let [dx, dy] = [sizing.to.x - from.x, sizing.to.y - from.y];
    if (Math.hypot(dx, dy) * screenScale() < CLICK_PX) return undefined;
    if (even) {
      const side = Math.max(Math.abs(dx), Math.abs(dy));
      [dx, dy] = [Math.sign(dx || 1) * side, Math.sign(dy || 1) * side];
    }
    const [x0, x1] = [from.x, from.x + dx].sort((a, b) => a - b);
    const [y0, y1] = [from.y, from.y + dy].sort((a, b) => a - b);
    if (stage.tool === 'rectangle') return rectanglePoints(x0, y0, x1, y1);
    return ellipsePoints((x0 + x1) / 2, (y0 + y1) / 2, (x1 - x0) / 2, (y1 - y0) / 2);
  }

  function finishSizing(): void {
    if (sized.value) make(stage.tool as 'ellipse' | 'rectangle', sized.value);
    sizing = undefined;
    sized.value = undefined;
  }

  function make(kind: 'path' | 'ellipse' | 'rectangle', points: PathPoint[]): void {
    let [removalId, shapeId] = [stage.removalId, ''];
    doc.edit(`Draw ${kind === 'path' ? 'an outline' : kind === 'ellipse' ? 'an ellipse' : 'a box'}`, (draft) => {
      if (!draft.removals[removalId]) removalId = addRemoval(draft);
      shapeId = addShape(draft.removals[removalId], kind, frame(), points.map(rounded));
      const track = trackUnder(points);
      if (track) rideOn(draft, draft.removals[removalId].shapes[shapeId], track, frame());
    });
    stage.selectRemoval(removalId);
    stage.selectShape(shapeId);
    stage.tool = 'pick';
  }

  /** The track that is worked on, if its region has the shape's middle in it: what is drawn on it goes with it. */
  function trackUnder(points: readonly PathPoint[]): string | undefined {
    const { current, currentId } = tracks;
    const { x, y } = middleOfPath(points);
    const quad = current && quadAt(toRide(current, frame()), frame());
    return quad && inside(quad, x, y) ? currentId : undefined;
  }

  /** @returns Whether a shape is being sized. */
  function size(to: Place, even: boolean): boolean {
    if (!sizing) return false;
    sizing.to = to;
    sized.value = sizedPoints(even);
    return true;
  }

  function abandon(): void {
    sizing = undefined;
    sized.value = undefined;
    drawn.value = [];
  }

  return { drawn, sized, press, bend, close, size, finishSizing, abandon };
}
