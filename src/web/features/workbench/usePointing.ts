import { computed, ref } from 'vue';
import type { Place } from '../../marks/pathEdits.ts';
import { useOutlines } from './outlinesStore.ts';
import { useStage } from './stageStore.ts';
import { CLICK_PX } from './useShapeDrawing.ts';

/** What a pointer does with the tools that find and paint outlines. Frame px. */
export function usePointing(frame: () => number, screenScale: () => number) {
  const stage = useStage();
  const outlines = useOutlines();
  /** Places of the stroke in hand. */
  const stroke = ref<Place[]>([]);
  const takesAway = ref(false);

  /** A drag on a frame with nothing of the thing yet is a box around it. */
  const isBox = computed(
    () =>
      stage.tool === 'point' &&
      !takesAway.value &&
      stroke.value.length > 1 &&
      farthest(stroke.value) * screenScale() >= CLICK_PX &&
      !hasOutline(),
  );
  const hasOutline = (): boolean => {
    const shape = outlines.current;
    if (!shape) return false;
    const { from, to } = shape.visible ?? { from: 0, to: Infinity };
    return frame() >= from && frame() <= to;
  };
  const box = computed(() => {
    if (!isBox.value) return undefined;
    const [a, b] = [stroke.value[0], stroke.value.at(-1)!];
    return { x: Math.min(a.x, b.x), y: Math.min(a.y, b.y), width: Math.abs(a.x - b.x), height: Math.abs(a.y - b.y) };
  });

  function press(at: Place, away: boolean): void {
    takesAway.value = away;
    stroke.value = [at];
  }

  function dragTo(at: Place): void {
    if (stroke.value.length > 0 && stroke.value.length < MOST_PLACES) stroke.value = [...stroke.value, at];
  }

  function drop(): void {
    if (stroke.value.length === 0) return;
    const places = stroke.value;
    const around = box.value;
    const [away, paints] = [takesAway.value, stage.tool === 'paint'];
    abandon();
    if (around) {
      if (around.width < 2 || around.height < 2) return;
      const numbers = [around.x, around.y, around.width, around.height].map(tenth);
      return void outlines.point(frame(), { kind: 'box', box: numbers as [number, number, number, number] });
    }
    const click = farthest(places) * screenScale() < CLICK_PX;
    const flat = (click ? places.slice(0, 1) : places).flatMap((p) => [tenth(p.x), tenth(p.y)]);
    if (paints) {
      const kind = away ? 'erase' : 'paint';
      return void outlines.point(frame(), { kind, stroke: flat, brush: outlines.brush });
    }
    void outlines.point(frame(), { kind: away ? 'remove' : 'add', stroke: flat });
  }

  function abandon(): void {
    stroke.value = [];
    takesAway.value = false;
  }

  return { stroke, takesAway, box, press, dragTo, drop, abandon };
}

export type Pointing = ReturnType<typeof usePointing>;

/** Places of one stroke; a longer one is cut off. */
const MOST_PLACES = 380;

const tenth = (v: number): number => Math.round(10 * v) / 10;
const farthest = ([first, ...rest]: readonly Place[]): number =>
  Math.max(0, ...rest.map((p) => Math.hypot(p.x - first.x, p.y - first.y)));
