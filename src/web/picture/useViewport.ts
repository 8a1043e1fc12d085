import { computed, ref, type Ref } from 'vue';

export interface Size {
  width: number;
  height: number;
}

const MOST = 32;
const LEAST = 0.05;
/** Room left around a picture that is shown whole, screen px. */
const MARGIN = 10;

/**
 * Where the frame is on the screen: fitted until a person zooms. Screen px are CSS px from the view's corner; frame px
 * have their centres at whole numbers.
 */
export function useViewport(view: Ref<Size>, frame: Ref<Size>) {
  const chosen = ref<{ scale: number; left: number; top: number }>();

  const fitted = computed(() => {
    const scale = Math.min(
      (view.value.width - 2 * MARGIN) / frame.value.width,
      (view.value.height - 2 * MARGIN) / frame.value.height,
    );
    return placed(Math.max(LEAST, scale));
  });
  const place = computed(() => chosen.value ?? fitted.value);

  function placed(scale: number): { scale: number; left: number; top: number } {
    return {
      scale,
      left: (view.value.width - frame.value.width * scale) / 2,
      top: (view.value.height - frame.value.height * scale) / 2,
    };
  }

  /** Zooms by a factor; the place under (x, y) stays where it is. */
  function zoom(factor: number, x = view.value.width / 2, y = view.value.height / 2): void {
    zoomTo(place.value.scale * factor, x, y);
  }

  function zoomTo(wanted: number, x = view.value.width / 2, y = view.value.height / 2): void {
    const { scale, left, top } = place.value;
    const next = Math.min(MOST, Math.max(LEAST, wanted));
    const k = next / scale;
    chosen.value = { scale: next, left: x - (x - left) * k, top: y - (y - top) * k };
  }

  function pan(dx: number, dy: number): void {
    const { scale, left, top } = place.value;
    chosen.value = { scale, left: left + dx, top: top + dy };
  }

  const toFrame = (x: number, y: number): { x: number; y: number } => ({
    x: (x - place.value.left) / place.value.scale - 0.5,
    y: (y - place.value.top) / place.value.scale - 0.5,
  });

  /** The middle of a px of the frame on the screen. */
  const toScreen = (x: number, y: number): [number, number] => [
    place.value.left + (x + 0.5) * place.value.scale,
    place.value.top + (y + 0.5) * place.value.scale,
  ];
  return { place, zoom, zoomTo, pan, toFrame, toScreen, fit: () => (chosen.value = undefined) };
}

export type Viewport = ReturnType<typeof useViewport>;
