<script setup lang="ts">
import { computed } from 'vue';
import { frameNumbers, type TrackNode } from '../../../contract/document.ts';
import { LOSS_TEXT } from '../../../contract/tracks.ts';
import { confidencePath, type StripScale } from './stripCharts.ts';
import { SURE } from './tracksStore.ts';

/** A track over time: its confidence, its anchors, and where it is lost. */
const props = defineProps<{ track: TrackNode; x: StripScale; left: number; right: number; height: number }>();
const emit = defineEmits<{ go: [frame: number] }>();

const anchors = computed(() => frameNumbers(props.track.anchors));
const confidence = computed(() => {
  const { frames, anchors: set } = props.track;
  const entries = Object.entries(frames).map(([f, [c]]) => ({ frame: Number(f), c }));
  return confidencePath(
    entries.filter(({ frame }) => !(frame in set)),
    props.x,
    props.height,
  );
});
const sureLine = computed(() => props.height * (1 - SURE));
const middle = (frame: number): number => (props.x(frame) + props.x(frame + 1)) / 2;
</script>

<template>
  <g data-testid="track-lane">
    <line class="sure" :x1="left" :x2="right" :y1="sureLine" :y2="sureLine" />
    <path class="confidence" :d="confidence" />
    <rect
      v-for="l in track.losses"
      :key="l.from"
      class="loss"
      :x="x(l.from)"
      y="0"
      :width="x(l.to + 1) - x(l.from)"
      :height="height"
    >
      <title>{{ LOSS_TEXT[l.reason] }}</title>
    </rect>
    <path
      v-for="f in anchors"
      :key="f"
      class="anchor"
      :transform="`translate(${middle(f)} ${height / 2})`"
      d="M-4 -10V10M-4 -10H4M-4 10H4"
      :data-testid="`anchor-${f}`"
      @pointerdown.stop="emit('go', f)"
    />
  </g>
</template>

<style scoped>
.sure {
  stroke: var(--faint);
  stroke-width: 1;
  stroke-dasharray: 2 4;
}
.confidence {
  fill: color-mix(in srgb, var(--accent) 45%, transparent);
}
.loss {
  fill: url(#lost-bars);
}
.anchor {
  fill: none;
  stroke: var(--ink);
  stroke-width: 2;
  cursor: pointer;
}
</style>
