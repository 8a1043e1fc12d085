<script setup lang="ts">
import { useElementSize } from '@vueuse/core';
import { scaleLinear } from 'd3';
import { computed, ref, watch } from 'vue';
import { ranked } from '../../../contract/document.ts';
import { workRange, type ShotView } from '../../../contract/shots.ts';
import { useDocument } from '../../document/documentStore.ts';
import { keyFrames, moveKey, removalKeyFrames } from '../../document/edits.ts';
import { percent } from './advice.ts';
import { useReveal } from './revealStore.ts';
import { useStage } from './stageStore.ts';
import { memoryPaths } from './stripCharts.ts';
import TrackLane from './TrackLane.vue';
import { useTracks } from './tracksStore.ts';
import { useWork } from './workStore.ts';

const props = defineProps<{ shot: ShotView; clipFrames: number; frame: number }>();
const emit = defineEmits<{ go: [frame: number] }>();

const LABELS = 116;
const RULER = 20;
const RIBBON = 7;
const LANE = 19;
/** Height of the lane of a track. */
const TRACK = 30;
const UP = 46;
const DOWN = 24;
/** Fewest frames across. */
const CLOSEST = 12;

const doc = useDocument();
const stage = useStage();
const work = useWork();
const reveals = useReveal();
const tracks = useTracks();

const box = ref<HTMLElement>();
const { width } = useElementSize(box);
const range = computed(() => workRange(props.shot, props.clipFrames));
const shownRange = ref<[number, number]>();
const domain = computed<[number, number]>(
  () => shownRange.value ?? [range.value.first, range.value.first + range.value.count],
);
watch(range, () => (shownRange.value = undefined));
const x = computed(() =>
  scaleLinear()
    .domain(domain.value)
    .range([LABELS, Math.max(LABELS + 10, width.value - 12)]),
);
const column = computed(() => x.value(1) - x.value(0));
const ticks = computed(() =>
  x.value
    .ticks(Math.max(2, Math.floor((width.value - LABELS) / 80)))
    .filter((t) => Number.isInteger(t) && t >= 0 && t < props.clipFrames),
);

const removals = computed(() => ranked(doc.document.removals));
const others = computed(() => removals.value.filter(([id]) => id !== stage.removalId).slice(0, 5));
const selected = computed(() => doc.document.removals[stage.removalId]);
const lanes = computed(() => (selected.value ? ranked(selected.value.shapes) : []));

const lanesTop = computed(() => RULER + others.value.length * RIBBON + 4);
const trackTop = computed(() => lanesTop.value + Math.max(1, lanes.value.length) * LANE + 2);
const chartTop = computed(() => trackTop.value + (tracks.current ? TRACK : 0) + 4);
const base = computed(() => chartTop.value + UP);
const height = computed(() => base.value + DOWN + 14);

const data = computed(() => reveals.data[stage.removalId]);
const paths = computed(() =>
  data.value ? memoryPaths(data.value, (f) => x.value(f), base.value, UP, DOWN) : undefined,
);
const take = computed(() => {
  const all = work.takesOf(stage.removalId);
  return all.findLast((t) => t.state === 'running') ?? all.find((t) => t.picked);
});

/** The key in hand while it is dragged. */
const moving = ref<{ shapeId: string; from: number; to: number; copy: boolean }>();

const frameAt = (event: MouseEvent): number => {
  const corner = box.value!.getBoundingClientRect();
  return Math.floor(x.value.invert(event.clientX - corner.left));
};

function scrub(event: PointerEvent): void {
  if (event.button !== 0 && event.type === 'pointerdown') return;
  if (event.type === 'pointerdown') (event.currentTarget as Element).setPointerCapture(event.pointerId);
  else if ((event.buttons & 1) === 0 || moving.value) return;
  emit('go', frameAt(event));
}

function grabKey(event: PointerEvent, shapeId: string, frame: number): void {
  if (event.button !== 0) return;
  event.stopPropagation();
  (event.currentTarget as Element).closest('svg')!.setPointerCapture(event.pointerId);
  stage.selectShape(shapeId);
  stage.key = { shapeId, frame };
  moving.value = { shapeId, from: frame, to: frame, copy: event.altKey };
}

function move(event: PointerEvent): void {
  if (!moving.value) return scrub(event);
  moving.value = { ...moving.value, to: Math.max(0, Math.min(props.clipFrames - 1, frameAt(event))) };
}

function drop(): void {
  const m = moving.value;
  moving.value = undefined;
  if (!m) return;
  if (m.from === m.to) return emit('go', m.from);
  doc.edit(m.copy ? 'Copy a key' : 'Move a key', (draft) => {
    moveKey(draft.removals[stage.removalId].shapes[m.shapeId], m.from, m.to, m.copy);
  });
  stage.key = { shapeId: m.shapeId, frame: m.to };
}

function wheel(event: WheelEvent): void {
  const [a, b] = domain.value;
  const whole = [range.value.first, range.value.first + range.value.count];
  if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) {
    const by = ((event.deltaX || event.deltaY) / 600) * (b - a);
    const shift = Math.max(whole[0] - a, Math.min(whole[1] - b, by));
    shownRange.value = [a + shift, b + shift];
    return;
  }
  const corner = box.value!.getBoundingClientRect();
  const at = x.value.invert(event.clientX - corner.left);
  const span = Math.max(CLOSEST, (b - a) * Math.exp(event.deltaY / 400));
  const k = span / (b - a);
  const next: [number, number] = [at - (at - a) * k, at + (b - at) * k];
  const inside: [number, number] = [Math.max(whole[0], next[0]), Math.min(whole[1], next[1])];
  shownRange.value = inside[1] - inside[0] >= whole[1] - whole[0] ? undefined : inside;
}

const shownKeys = (shapeId: string): { frame: number; ease: string; ghost: boolean }[] => {
  const shape = selected.value!.shapes[shapeId];
  const m = moving.value?.shapeId === shapeId ? moving.value : undefined;
  const keys = keyFrames(shape)
    .filter((f) => m === undefined || m.copy || f !== m.from)
    .map((frame) => ({ frame, ease: shape.keys[frame].ease, ghost: false }));
  return m ? [...keys, { frame: m.to, ease: shape.keys[m.from].ease, ghost: true }] : keys;
};

/** Our signs for how a shape goes on from a key: a bar (straight), a drop (smooth), a block (holds). */
const KEY_SIGNS: Record<string, string> = {
  linear: 'M-2.5 -6h5v12h-5z',
  smooth: 'M0 -6.5C4.5 -2 4.5 6 0 6C-4.5 6 -4.5 -2 0 -6.5z',
  hold: 'M-5 -5h10v10h-10z',
};

const visibleSpan = (shapeId: string): { left: number; width: number } => {
  const { visible } = selected.value!.shapes[shapeId];
  const [a, b] = [visible?.from ?? range.value.first, (visible?.to ?? range.value.first + range.value.count - 1) + 1];
  return { left: x.value(a), width: Math.max(0, x.value(b) - x.value(a)) };
};

const nameOf = (name: string): string => (name.length > 15 ? `${name.slice(0, 14)}…` : name);
</script>

<template>
  <div ref="box" class="strip" data-testid="memory">
    <svg
      :width="width"
      :height="height"
      @pointerdown="scrub"
      @pointermove="move"
      @pointerup="drop"
      @pointercancel="moving = undefined"
      @wheel.prevent="wheel"
    >
      <defs>
        <clipPath id="strip-clip">
          <rect :x="LABELS" y="0" :width="Math.max(0, width - LABELS)" :height="height" />
        </clipPath>
        <pattern id="handle-hatch" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <line x1="0" y1="0" x2="0" y2="6" class="handle-line" />
        </pattern>
        <pattern id="unseen-dots" width="5" height="5" patternUnits="userSpaceOnUse">
          <rect width="5" height="5" class="unseen-ground" />
          <circle cx="1.5" cy="1.5" r="1" class="unseen-dot" />
        </pattern>
        <pattern id="thin-lines" width="4" height="4" patternUnits="userSpaceOnUse">
          <rect width="4" height="4" class="thin-ground" />
          <line x1="0" y1="1" x2="4" y2="1" class="thin-line" />
        </pattern>
      </defs>
      <g clip-path="url(#strip-clip)">
        <rect class="ground" :x="LABELS" :y="RULER" :width="Math.max(0, width - LABELS)" :height="height - RULER" />
        <rect
          class="handles"
          :x="x(range.first)"
          :y="RULER"
          :width="Math.max(0, x(shot.first) - x(range.first))"
          :height="height"
        />
        <rect
          class="handles"
          :x="x(shot.last + 1)"
          :y="RULER"
          :width="Math.max(0, x(range.first + range.count) - x(shot.last + 1))"
          :height="height"
        />
        <g v-for="t in ticks" :key="t">
          <line class="tick" :x1="x(t) + column / 2" :x2="x(t) + column / 2" :y1="RULER - 5" :y2="height" />
          <text class="number" :x="x(t) + column / 2" :y="RULER - 7">{{ t }}</text>
        </g>
        <g v-for="([id, removal], i) in others" :key="id">
          <rect
            v-for="f in removalKeyFrames(removal)"
            :key="f"
            class="ribbon"
            :x="x(f) + column / 2 - 1.5"
            :y="RULER + 2 + i * RIBBON"
            width="3"
            :height="RIBBON - 2"
          />
        </g>
        <g v-for="([id, shape], i) in lanes" :key="id" :transform="`translate(0 ${lanesTop + i * LANE})`">
          <rect
            class="lane"
            :class="{ selected: id === stage.shapeId }"
            :x="visibleSpan(id).left"
            y="2"
            :width="visibleSpan(id).width"
            :height="LANE - 4"
            rx="3"
          />
          <path
            v-for="key in shownKeys(id)"
            :key="`${key.frame}${key.ghost}`"
            class="key"
            :class="{ chosen: stage.key?.shapeId === id && stage.key.frame === key.frame, ghost: key.ghost }"
            :transform="`translate(${x(key.frame) + column / 2} ${LANE / 2})`"
            :d="KEY_SIGNS[key.ease]"
            :data-testid="`key-${shape.name}-${key.frame}`"
            @pointerdown="grabKey($event, id, key.frame)"
          />
        </g>
        <TrackLane
          v-if="tracks.current"
          :transform="`translate(0 ${trackTop})`"
          :track="tracks.current"
          :x="x"
          :left="LABELS"
          :right="width"
          :height="TRACK - 3"
          @go="emit('go', $event)"
        />
        <template v-if="paths">
          <path :d="paths.seen" class="seen" />
          <path :d="paths.thin" fill="url(#thin-lines)" />
          <path :d="paths.unseen" fill="url(#unseen-dots)" />
          <path
            v-if="data?.best"
            class="best"
            :transform="`translate(${x(data.best.frame) + column / 2} ${base + DOWN + 4})`"
            d="M0 -4L5 5H-5z"
          >
            <title>Frame {{ data.best.frame }} would serve {{ percent(data.best.share) }} of what was never seen</title>
          </path>
        </template>
        <path
          v-for="{ frame: f, share } in data?.coverage?.flagged ?? []"
          :key="`out${f}`"
          class="out"
          :transform="`translate(${x(f) + column / 2} ${chartTop})`"
          d="M-3 0H3V5L0 9L-3 5Z"
          :data-testid="`out-${f}`"
          @pointerdown.stop="emit('go', f)"
        >
          <title>Frame {{ f }}: {{ percent(share) }} of it sticks out</title>
        </path>
        <line class="base" :x1="LABELS" :x2="width" :y1="base" :y2="base" />
        <rect
          v-for="[a, b] in take?.finished ?? []"
          :key="a"
          class="finished"
          :x="x(a)"
          :y="height - 4"
          :width="x(b + 1) - x(a)"
          height="3"
        />
        <line class="bound" :x1="x(shot.first)" :x2="x(shot.first)" :y1="RULER - 4" :y2="height" />
        <line class="bound" :x1="x(shot.last + 1)" :x2="x(shot.last + 1)" :y1="RULER - 4" :y2="height" />
        <rect class="now" :x="x(frame)" :y="0" :width="Math.max(2, column)" :height="height" />
      </g>
      <g class="labels">
        <text :x="8" :y="RULER - 6" class="faint">frame {{ frame }}</text>
        <text
          v-for="([id, removal], i) in others"
          :key="id"
          x="8"
          :y="RULER + 8 + i * RIBBON"
          class="tiny"
          @click="stage.selectRemoval(id)"
        >
          {{ nameOf(removal.name) }}
        </text>
        <text
          v-for="([id, shape], i) in lanes"
          :key="id"
          x="8"
          :y="lanesTop + i * LANE + 13"
          :class="{ strong: id === stage.shapeId }"
          @pointerdown.stop="stage.selectShape(id)"
        >
          {{ nameOf(shape.name) }}
        </text>
        <text v-if="tracks.current" x="8" :y="trackTop + 18">{{ nameOf(tracks.current.name) }}</text>
        <text x="8" :y="base - UP / 2 + 4" class="faint">remembered</text>
        <text x="8" :y="base + DOWN / 2 + 4" class="faint">never seen</text>
      </g>
    </svg>
  </div>
</template>

<style scoped>
.strip {
  position: relative;
  overflow: hidden auto;
  background: var(--sheet);
  user-select: none;
}
svg {
  display: block;
  touch-action: none;
}
.ground {
  fill: var(--ground);
}
.out {
  fill: var(--unseen);
  stroke: var(--sheet);
  cursor: pointer;
}
.handles {
  fill: url(#handle-hatch);
}
.handle-line {
  stroke: var(--line);
  stroke-width: 2;
}
.tick {
  stroke: var(--line);
  stroke-width: 1;
}
text {
  font-size: 12px;
  fill: var(--ink);
}
.number {
  text-anchor: middle;
  fill: var(--faint);
  font-variant-numeric: tabular-nums;
}
.faint {
  fill: var(--faint);
}
.tiny {
  font-size: 9px;
  fill: var(--faint);
  cursor: pointer;
}
.strong {
  font-weight: 650;
}
.ribbon {
  fill: var(--goes);
  opacity: 0.7;
}
.lane {
  fill: color-mix(in srgb, var(--goes) 16%, transparent);
  stroke: transparent;
}
.lane.selected {
  stroke: var(--accent);
}
.key {
  fill: var(--goes-strong);
  stroke: var(--sheet);
  stroke-width: 1;
  cursor: grab;
}
.key.chosen {
  fill: var(--accent);
  stroke: var(--ink);
}
.key.ghost {
  opacity: 0.6;
}

.seen {
  fill: var(--seen);
}
.thin-ground {
  fill: var(--thin);
}
.thin-line {
  stroke: var(--seen);
  stroke-width: 1.4;
}
.unseen-ground {
  fill: var(--unseen);
}
.unseen-dot {
  fill: var(--sheet);
}
.best {
  fill: var(--accent);
}
.base {
  stroke: var(--faint);
  stroke-width: 1;
}
.finished {
  fill: var(--accent);
}
.bound {
  stroke: var(--ink);
  stroke-width: 1.5;
}
.now {
  fill: var(--accent);
  opacity: 0.45;
  pointer-events: none;
}
</style>
