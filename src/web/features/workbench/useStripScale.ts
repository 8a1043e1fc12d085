import { useElementSize } from '@vueuse/core';
import { scaleLinear } from 'd3';
import { computed, ref, watch, type Ref } from 'vue';

/** Fewest frames across. */
const CLOSEST = 12;
/** Px between the numbers of frames, and to the strip's right end. */
const APART = 80;
const RIGHT = 12;

/**
 * How frames lie across the strip, which the wheel brings nearer and (with Shift) moves along.
 *
 * @param left - Where the first frame begins, px.
 */
export function useStripScale(
  box: Ref<HTMLElement | undefined>,
  range: Ref<{ first: number; count: number }>,
  left: number,
) {
  const { width, height: room } = useElementSize(box);
  const shownRange = ref<[number, number]>();
  const whole = computed<[number, number]>(() => [range.value.first, range.value.first + range.value.count]);
  const domain = computed(() => shownRange.value ?? whole.value);
  watch(range, () => (shownRange.value = undefined));

  const x = computed(() =>
    scaleLinear()
      .domain(domain.value)
      .range([left, Math.max(left + 10, width.value - RIGHT)]),
  );
  /** Width of a frame, px. */
  const column = computed(() => x.value(1) - x.value(0));
  const ticks = computed(() =>
    x.value
      .ticks(Math.max(2, Math.floor((width.value - left) / APART)))
      .filter((t) => Number.isInteger(t) && t >= whole.value[0] && t < whole.value[1]),
  );

  const exactFrame = (event: MouseEvent): number =>
    x.value.invert(event.clientX - box.value!.getBoundingClientRect().left);
  /** The frame under the pointer, the nearest one of the range. */
  const frameAt = (event: MouseEvent): number =>
    Math.max(whole.value[0], Math.min(whole.value[1] - 1, Math.floor(exactFrame(event))));

  function wheel(event: WheelEvent): void {
    const [a, b] = domain.value;
    const [start, end] = whole.value;
    if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) {
      const by = ((event.deltaX || event.deltaY) / 600) * (b - a);
      const shift = Math.max(start - a, Math.min(end - b, by));
      shownRange.value = [a + shift, b + shift];
      return;
    }
    const at = exactFrame(event);
    const k = Math.max(CLOSEST, (b - a) * Math.exp(event.deltaY / 400)) / (b - a);
    const inside: [number, number] = [Math.max(start, at - (at - a) * k), Math.min(end, at + (b - at) * k)];
    shownRange.value = inside[1] - inside[0] >= end - start ? undefined : inside;
  }

  return { width, room, x, column, ticks, frameAt, wheel };
}
