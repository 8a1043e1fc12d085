<script setup lang="ts">
import { computed } from 'vue';
import { frameNumbers } from '../../../contract/document.ts';
import type { StripScale } from './stripCharts.ts';
import { useStage } from './stageStore.ts';
import type { Lane } from './stripLanes.ts';
import type { KeyDrag } from './useKeyDrag.ts';

/** The keys of a removal, lane by lane, and a bar over those that are chosen, whose ends stretch them. */
const props = defineProps<{
  lanes: Lane[];
  x: StripScale;
  /** Height of a lane, px. */
  height: number;
  /** Frames of the shot with its handles. */
  range: { first: number; count: number };
  keyDrag: KeyDrag;
}>();
const emit = defineEmits<{
  grab: [event: PointerEvent, lane: string, frame: number];
  grabEnd: [event: PointerEvent, end: 'first' | 'last'];
}>();
const stage = useStage();

const middle = (frame: number): number => (props.x(frame) + props.x(frame + 1)) / 2;

/** A key in hand is shown where it would go. */
function shownKeys({ id, keys }: Lane): { frame: number; at: number; ease: string; chosen: boolean }[] {
  const { retiming, drag, isChosen } = props.keyDrag;
  const to = retiming.value;
  return frameNumbers(keys).flatMap((frame) => {
    const { ease } = keys[frame];
    const chosen = isChosen({ lane: id, frame });
    const stays = { frame, at: frame, ease, chosen };
    if (!chosen || !to) return [stays];
    const goes = { ...stays, at: Math.round(to(frame)) };
    return drag.value?.kind === 'copy' ? [{ ...stays, chosen: false }, goes] : [goes];
  });
}

const group = computed(() => {
  const to = props.keyDrag.retiming.value ?? ((f: number) => f);
  const frames = stage.keys.map((k) => Math.round(to(k.frame)));
  const [first, last] = [Math.min(...frames), Math.max(...frames)];
  return stage.keys.length > 1 && last > first ? { first, last } : undefined;
});

/** Lower lanes squeeze their keys, px. */
const KEY_HEIGHT = 16;
/** Our signs for how it goes on from a key: a bar (straight), a drop (smooth), a block (holds). */
const KEY_SIGNS: Record<string, string> = {
  linear: 'M-2.5 -6h5v12h-5z',
  smooth: 'M0 -6.5C4.5 -2 4.5 6 0 6C-4.5 6 -4.5 -2 0 -6.5z',
  hold: 'M-5 -5h10v10h-10z',
};

function visibleSpan({ visible }: Lane): { left: number; width: number } {
  const { first, count } = props.range;
  const { from, to } = visible ?? { from: first, to: first + count - 1 };
  const [a, b] = [Math.max(first, from), Math.min(first + count - 1, to) + 1];
  return { left: props.x(a), width: Math.max(0, props.x(b) - props.x(a)) };
}
</script>

<template>
  <g>
    <g v-if="group" data-testid="key-group">
      <rect
        class="group"
        :x="middle(group.first)"
        y="-5"
        :width="Math.max(0, middle(group.last) - middle(group.first))"
        height="3"
      />
      <rect
        v-for="end in ['first', 'last'] as const"
        :key="end"
        class="end"
        :x="middle(group[end]) - 4"
        y="-8"
        width="8"
        height="9"
        rx="2"
        :data-testid="`key-group-${end}`"
        @pointerdown.stop="emit('grabEnd', $event, end)"
      >
        <title>Drag to stretch the chosen keys</title>
      </rect>
    </g>
    <g v-for="(lane, i) in lanes" :key="lane.id" :class="lane.kind" :transform="`translate(0 ${i * height})`">
      <rect
        class="lane"
        :class="{ selected: lane.id === stage.shapeId, off: lane.off }"
        :x="visibleSpan(lane).left"
        :y="Math.min(2, height / 8)"
        :width="visibleSpan(lane).width"
        :height="height - Math.min(4, height / 4)"
        rx="3"
      />
      <path
        v-for="key in shownKeys(lane)"
        :key="`${key.frame}${key.at}`"
        class="key"
        :class="{ chosen: key.chosen, ghost: key.at !== key.frame }"
        :transform="`translate(${middle(key.at)} ${height / 2}) scale(1 ${Math.min(1, height / KEY_HEIGHT)})`"
        :d="KEY_SIGNS[key.ease]"
        :data-testid="`key-${lane.name}-${key.frame}`"
        @pointerdown="emit('grab', $event, lane.id, key.frame)"
      />
    </g>
  </g>
</template>

<style scoped>
.lane {
  fill: color-mix(in srgb, var(--goes) 16%, transparent);
  stroke: transparent;
}
.lane.selected {
  stroke: var(--accent);
}
.lane.off {
  fill: none;
  stroke: color-mix(in srgb, var(--goes) 40%, transparent);
  stroke-dasharray: 2 3;
}
.hold .lane {
  fill: color-mix(in srgb, var(--held) 24%, transparent);
}
.trim .lane {
  fill: color-mix(in srgb, var(--ink) 9%, transparent);
}
.key {
  fill: var(--goes-strong);
  stroke: var(--sheet);
  stroke-width: 1;
  cursor: grab;
}
.hold .key {
  fill: var(--held-strong);
}
.trim .key {
  fill: var(--sheet);
  stroke: var(--ink);
  stroke-width: 1.5;
}
.hold .key.chosen,
.trim .key.chosen,
.key.chosen {
  fill: var(--accent);
  stroke: var(--ink);
}
.key.ghost {
  opacity: 0.6;
}
.group {
  fill: var(--accent);
}
.end {
  fill: var(--accent);
  stroke: var(--sheet);
  cursor: ew-resize;
}
</style>
