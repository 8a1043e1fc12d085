import { computed, ref, type Ref } from 'vue';

interface PlayerOptions {
  /** Frames that can be gone to, inclusive. */
  range: Ref<{ first: number; last: number }>;
  /** Frames that are played, inclusive: in to out. */
  played: Ref<{ first: number; last: number }>;
  /** Frames per second. */
  rate: Ref<number>;
  /** Draws a frame; resolves when it is on the screen, with its number. */
  draw(frame: number): Promise<number>;
}

/** Speeds of playing, in shares of the shot's rate: slow ones for steering by hand. */
const SPEEDS = [1, 0.5, 0.25, 0.1];

/**
 * Which frame is wanted and which is on the screen. Playing keeps real time: what cannot be drawn in time is left out,
 * and the number shown is always that of the frame drawn.
 */
export function usePlayer({ range, played, rate, draw }: PlayerOptions) {
  const wanted = ref(played.value.first);
  const shown = ref(played.value.first);
  const playing = ref(false);
  const loop = ref(true);
  const speed = ref(SPEEDS[0]);
  let drawing = false;
  let again = false;
  let began = { time: 0, frame: 0 };

  const clamp = (frame: number): number => Math.min(range.value.last, Math.max(range.value.first, Math.round(frame)));

  /** Draws the wanted frame; while one is being drawn only the last wish counts. */
  async function redraw(): Promise<void> {
    if (drawing) {
      again = true;
      return;
    }
    drawing = true;
    do {
      again = false;
      shown.value = await draw(wanted.value);
    } while (again);
    drawing = false;
  }

  function go(frame: number): void {
    wanted.value = clamp(frame);
    began = { time: performance.now(), frame: wanted.value };
    void redraw();
  }

  function play(): void {
    if (playing.value) return;
    const { first, last } = played.value;
    if (wanted.value < first || wanted.value >= last) go(first);
    playing.value = true;
    began = { time: performance.now(), frame: wanted.value };
    requestAnimationFrame(tick);
  }

  function tick(): void {
    if (!playing.value) return;
    const { first, last } = played.value;
    let frame = began.frame + Math.floor(((performance.now() - began.time) / 1000) * rate.value * speed.value);
    if (frame > last) {
      if (!loop.value) {
        go(last);
        pause();
        return;
      }
      frame = first;
      began = { time: performance.now(), frame };
    }
    if (frame !== wanted.value) {
      wanted.value = frame;
      void redraw();
    }
    requestAnimationFrame(tick);
  }

  /** The next lower speed; after the lowest the full one again. */
  function changeSpeed(): void {
    speed.value = SPEEDS[(SPEEDS.indexOf(speed.value) + 1) % SPEEDS.length];
    began = { time: performance.now(), frame: wanted.value };
  }

  function pause(): void {
    playing.value = false;
  }

  return {
    wanted: computed(() => wanted.value),
    shown: computed(() => shown.value),
    playing: computed(() => playing.value),
    loop: computed(() => loop.value),
    /** Of the shot's rate. */
    speed: computed(() => speed.value),
    changeSpeed,
    go,
    step: (by: number) => {
      pause();
      go(wanted.value + by);
    },
    toggleLoop: () => (loop.value = !loop.value),
    toggle: () => (playing.value ? pause() : play()),
    pause,
    redraw,
  };
}

export type Player = ReturnType<typeof usePlayer>;
