<script setup lang="ts">
import { computed, ref } from 'vue';
import { frameNumbers, ranked } from '../../../contract/document.ts';
import { workRange, type ShotView } from '../../../contract/shots.ts';
import { useDocument } from '../../document/documentStore.ts';
import { removalKeyFrames } from '../../document/edits.ts';
import { memoryWord } from './advice.ts';
import { percent } from './advicePieces.ts';
import KeyLanes from './KeyLanes.vue';
import { useReveal } from './revealStore.ts';
import { useStage } from './stageStore.ts';
import { memoryPaths } from './stripCharts.ts';
import { stripLanes, type Lane } from './stripLanes.ts';
import StripPatterns from './StripPatterns.vue';
import TrackLane from './TrackLane.vue';
import { useTracks } from './tracksStore.ts';
import { useKeyDrag, type StripPlace } from './useKeyDrag.ts';
import { useStripScale } from './useStripScale.ts';
import { useWork } from './workStore.ts';

const props = defineProps<{ shot: ShotView; clipFrames: number; frame: number }>();
const emit = defineEmits<{ go: [frame: number] }>();

const LABELS = 116;
const RULER = 20;
const RIBBON = 7;
const LANE = 19;
/** Lanes are lower where there are many, so that what is remembered stays in sight. */
const LEAST_LANE = 6;
/** Height from which a lane's name is written as large as others, and from which it is written although it is not chosen. */
const LARGE_NAME = 15;
const ANY_NAME = 9;
/** A name's base line lies so far under its lane's middle, in heights of its lane. */
const NAME_DROP = 0.25;
/** Room for the bar over chosen keys. */
const GROUP = 10;
/** Height of the lane of a track. */
const TRACK = 30;
/** Least heights of what is remembered, above its line and below. */
const LEAST_UP = 46;
const LEAST_DOWN = 24;
/** Share of the room that is left that goes above the line. */
const SHARE_UP = 0.65;
/** Room under it for the mark of the best frame. */
const FOOT = 14;

const doc = useDocument();
const stage = useStage();
const work = useWork();
const reveals = useReveal();
const tracks = useTracks();

const box = ref<HTMLElement>();
const range = computed(() => workRange(props.shot, props.clipFrames));
const { width, room, x, column, ticks, frameAt, wheel } = useStripScale(box, range, LABELS);

const removals = computed(() => ranked(doc.document.removals));
const others = computed(() => removals.value.filter(([id]) => id !== stage.removalId).slice(0, 5));
const selected = computed(() => doc.document.removals[stage.removalId]);
const lanes = computed(() => (selected.value ? stripLanes(selected.value) : []));

// The strip's own height does not depend on what is in it: the picture must not move under the hand that draws.
const lanesTop = computed(() => RULER + others.value.length * RIBBON + GROUP);
const laneCount = computed(() => Math.max(1, lanes.value.length));
const trackRoom = computed(() => (tracks.current ? TRACK : 0) + 4);
const laneHeight = computed(() => {
  const free = room.value - lanesTop.value - 2 - trackRoom.value - LEAST_UP - LEAST_DOWN - FOOT;
  return Math.max(LEAST_LANE, Math.min(LANE, Math.floor(free / laneCount.value)));
});
const trackTop = computed(() => lanesTop.value + laneCount.value * laneHeight.value + 2);
const chartTop = computed(() => trackTop.value + trackRoom.value);
const spare = computed(() => Math.max(0, room.value - chartTop.value - LEAST_UP - LEAST_DOWN - FOOT));
const up = computed(() => LEAST_UP + Math.floor(SHARE_UP * spare.value));
const down = computed(() => LEAST_DOWN + Math.floor((1 - SHARE_UP) * spare.value));
const base = computed(() => chartTop.value + up.value);
const height = computed(() => base.value + down.value + FOOT);

const data = computed(() => reveals.data[stage.removalId]);
const paths = computed(() =>
  data.value ? memoryPaths(data.value, (f) => x.value(f), base.value, up.value, down.value) : undefined,
);
const take = computed(() => {
  const all = work.takesOf(stage.removalId);
  return all.findLast((t) => t.state === 'running') ?? all.find((t) => t.picked);
});

/** How near, px, a key in hand must come to a frame that holds it. */
const HOLD = 6;
const keyDrag = useKeyDrag(
  () => lanes.value.map(({ id }) => id),
  () => props.clipFrames,
  () => ({
    frames: [
      props.frame,
      props.shot.first,
      props.shot.last,
      ...(stage.span ? [stage.span.first, stage.span.last] : []),
    ],
    within: HOLD / column.value,
  }),
);
/** The end of the chosen frames that stays while the other is dragged. */
const spanFrom = ref<number>();

const heightAt = (event: MouseEvent): number =>
  event.clientY - box.value!.getBoundingClientRect().top + box.value!.scrollTop;
const placeAt = (event: MouseEvent): StripPlace => ({
  frame: frameAt(event),
  lane: Math.floor((heightAt(event) - lanesTop.value) / laneHeight.value),
});

function capture(event: PointerEvent): void {
  event.stopPropagation();
  (event.currentTarget as Element).closest('svg')!.setPointerCapture(event.pointerId);
}

/** A press goes to its frame; with Shift it chooses: frames on the ruler, keys below. */
function press(event: PointerEvent): void {
  if (event.button !== 0) return;
  capture(event);
  if (!event.shiftKey) return emit('go', frameAt(event));
  if (heightAt(event) > RULER) return keyDrag.band(placeAt(event));
  takeSpan(event, frameAt(event));
}

function takeSpan(event: PointerEvent, fixed: number): void {
  if (event.button !== 0) return;
  capture(event);
  spanFrom.value = fixed;
  stage.choose(fixed, frameAt(event));
}

function grabKey(event: PointerEvent, lane: string, frame: number): void {
  if (event.button !== 0) return;
  capture(event);
  keyDrag.grab({ lane, frame }, { frame, lane: 0 }, event);
}

/** A shape is chosen by its name; a trim has nothing to choose but its keys. */
function pressName({ id, kind, keys }: Lane): void {
  if (kind !== 'trim') stage.selectShape(id);
  else stage.keys = frameNumbers(keys).map((f) => ({ lane: id, frame: f }));
}

function grabEnd(event: PointerEvent, end: 'first' | 'last'): void {
  capture(event);
  keyDrag.grabEnd(end);
}

function move(event: PointerEvent): void {
  if ((event.buttons & 1) === 0) return;
  if (spanFrom.value !== undefined) stage.choose(spanFrom.value, frameAt(event));
  else if (keyDrag.drag.value) keyDrag.moveTo(placeAt(event), event.ctrlKey || event.metaKey);
  else if (!event.shiftKey) emit('go', frameAt(event));
}

function drop(): void {
  spanFrom.value = undefined;
  const pressed = keyDrag.drop();
  if (pressed !== undefined) emit('go', pressed);
}

function leaveOff(): void {
  spanFrom.value = undefined;
  keyDrag.abandon();
}

/** The corners of the band that chooses keys. */
const band = computed(() => {
  const d = keyDrag.drag.value;
  if (d?.kind !== 'band') return undefined;
  const [a, b] = [Math.min(d.from.frame, d.at.frame), Math.max(d.from.frame, d.at.frame) + 1];
  const lane = (n: number): number => Math.max(0, Math.min(lanes.value.length, n));
  const [top, bottom] = [lane(Math.min(d.from.lane, d.at.lane)), lane(Math.max(d.from.lane, d.at.lane) + 1)];
  return {
    x: x.value(a),
    y: lanesTop.value + top * laneHeight.value,
    width: x.value(b) - x.value(a),
    height: (bottom - top) * laneHeight.value,
  };
});

const nameOf = (name: string): string => (name.length > 15 ? `${name.slice(0, 14)}…` : name);
</script>

<template>
  <div ref="box" class="strip" data-testid="memory">
    <svg
      :width="width"
      :height="height"
      @pointerdown="press"
      @pointermove="move"
      @pointerup="drop"
      @pointercancel="leaveOff"
      @wheel.prevent="wheel"
    >
      <defs>
        <clipPath id="strip-clip">
          <rect :x="LABELS" y="0" :width="Math.max(0, width - LABELS)" :height="height" />
        </clipPath>
      </defs>
      <StripPatterns />
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
          <text class="number" :x="Math.max(x(t) + column / 2, LABELS + 4 * String(t).length)" :y="RULER - 7">
            {{ t }}
          </text>
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
        <KeyLanes
          :transform="`translate(0 ${lanesTop})`"
          :lanes="lanes"
          :x="x"
          :height="laneHeight"
          :range="range"
          :key-drag="keyDrag"
          @grab="grabKey"
          @grab-end="grabEnd"
        />
        <rect v-if="band" class="band" v-bind="band" />
        <line
          v-if="keyDrag.drag.value?.held !== undefined"
          class="held"
          :x1="x(keyDrag.drag.value.held) + column / 2"
          :x2="x(keyDrag.drag.value.held) + column / 2"
          :y1="RULER"
          :y2="chartTop"
          data-testid="held"
        />
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
            :transform="`translate(${x(data.best.frame) + column / 2} ${base + down + 4})`"
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
        <g v-if="stage.span" data-testid="span">
          <rect
            class="span"
            :x="x(stage.span.first)"
            y="0"
            :width="x(stage.span.last + 1) - x(stage.span.first)"
            :height="height"
          />
          <rect
            v-for="[end, fixed, at] in [
              ['first', stage.span.last, stage.span.first],
              ['last', stage.span.first, stage.span.last + 1],
            ] as const"
            :key="end"
            class="span-end"
            :x="x(at) - 3"
            y="0"
            width="6"
            :height="RULER"
            :data-testid="`span-${end}`"
            @pointerdown="takeSpan($event, fixed)"
          />
        </g>
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
          v-for="(lane, i) in lanes"
          v-show="laneHeight >= ANY_NAME || lane.id === stage.shapeId"
          :key="lane.id"
          x="8"
          :y="lanesTop + (i + 0.5) * laneHeight + NAME_DROP * Math.min(laneHeight, LARGE_NAME)"
          :class="{ strong: lane.id === stage.shapeId, tiny: laneHeight < LARGE_NAME }"
          @pointerdown.stop="pressName(lane)"
        >
          {{ nameOf(lane.name) }}
        </text>
        <text v-if="tracks.current" x="8" :y="trackTop + 18">{{ nameOf(tracks.current.name) }}</text>
        <text x="8" :y="base - up / 2 + 4" class="faint">{{ memoryWord(doc.document.removals[stage.removalId]) }}</text>
        <text x="8" :y="base + down / 2 + 4" class="faint">never seen</text>
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
.tiny.strong {
  fill: var(--ink);
}
.strong {
  font-weight: 650;
}
.ribbon {
  fill: var(--goes);
  opacity: 0.7;
}
.held {
  stroke: var(--accent);
  stroke-width: 1.5;
  stroke-dasharray: 2 2;
}
.band {
  fill: color-mix(in srgb, var(--accent) 18%, transparent);
  stroke: var(--accent);
  pointer-events: none;
}
.span {
  fill: color-mix(in srgb, var(--accent) 14%, transparent);
  pointer-events: none;
}
.span-end {
  fill: var(--accent);
  cursor: ew-resize;
}
.seen {
  fill: var(--seen);
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
